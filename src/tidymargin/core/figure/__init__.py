"""What the figure is: its inks, whether it is opaque or ink, and text drawn for the stripes of a screen."""
