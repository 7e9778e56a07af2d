"""Where the simulated mount really points, against what it says."""
