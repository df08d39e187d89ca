"""A cut's outlines: contours at sub-pixel, the lines and curves that explain them, and the line that a machine cuts along."""
