"""The night: conditions, the activities that bring them about, and the loop that decides."""
