"""Small coroutines that bring conditions about."""
