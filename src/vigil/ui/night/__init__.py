"""The Night workspace: the plan as picture and as text."""
