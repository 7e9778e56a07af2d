"""The drawer in which people play with a simulated rig's sky."""
