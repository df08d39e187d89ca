"""What every step stands on: pictures and their parts, colours and distances, masks and components, cores side by side."""
