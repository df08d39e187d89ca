"""Step 3, by hand: places that a person decided on, whatever the key says there."""
