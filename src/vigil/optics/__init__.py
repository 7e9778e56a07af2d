"""The optical train's arithmetic."""
