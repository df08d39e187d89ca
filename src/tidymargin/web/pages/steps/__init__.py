"""What can be changed of a recipe, a file for each of its steps."""

from tidymargin.web.pages.steps import by_hand, colour, export, ground, proof, reach, rim

STEP_PAGES = (ground, reach, by_hand, rim, colour, proof, export)
