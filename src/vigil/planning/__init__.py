"""When blocks may run, what is exposed next, and what a night will come to: pure functions of a plan."""
