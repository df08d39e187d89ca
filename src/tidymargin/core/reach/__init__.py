"""Step 2, reach: which places clearing gets to at every tolerance, and what of the closed-in ground opens."""
