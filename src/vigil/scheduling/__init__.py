"""What a night is best spent on: pure."""
