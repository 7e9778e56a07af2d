"""What is watched whatever goes on, by day too: safety, the sun, the mount's limits, losses, the disk.

Guards belong to the keeper. They share no task with what they guard: neither ends the other.
"""
