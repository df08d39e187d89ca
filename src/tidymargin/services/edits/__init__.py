"""What a person decides about a sheet: each change is one row of its history."""
