"""What is said of a sheet, in whole sentences with named slots, so that they can be translated: a file for each step."""
