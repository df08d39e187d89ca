"""What is found for a person to decide on: dust, crumbs, stray things, and a page in its picture."""
