"""One picture in, its cut out: keyed, written, judged and reported on, with no data folder."""
