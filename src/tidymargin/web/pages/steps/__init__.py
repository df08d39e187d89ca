"""What can be changed of a recipe, a file for each of its steps."""

from tidymargin.web.pages.steps import by_hand, colour, export, ground, proof, reach

STEP_PAGES = (ground, reach, by_hand, colour, proof, export)
