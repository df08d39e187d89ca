"""What could be either way in a cut, and is asked: places, what an answer would change, and what is alike."""
