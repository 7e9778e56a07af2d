"""The Rig workspace: the optical train, the numbers that follow, the horizon."""
