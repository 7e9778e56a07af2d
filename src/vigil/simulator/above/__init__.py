"""What stands in the simulated sky, and how much of its light arrives."""
