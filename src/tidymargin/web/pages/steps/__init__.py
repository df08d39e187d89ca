"""What can be changed of a recipe, a file for each of its steps."""

from tidymargin.web.pages.steps import colour, export, ground, proof, reach

STEP_PAGES = (ground, reach, colour, proof, export)
