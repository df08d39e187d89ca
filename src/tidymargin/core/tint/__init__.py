"""The figure's colours once they are solved: spill and inks, depth and light, recolouring, backing, shadow."""
