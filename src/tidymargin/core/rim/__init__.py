"""Step 4, the rim: how much of each place is figure, and of which colour."""
