"""What a screen of one strong hue does besides being ground: gaps it shows through, and the light it casts."""
