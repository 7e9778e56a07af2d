"""What is saved and sent: rig, night plan, events, messages. Versioned JSON with pydantic models."""
