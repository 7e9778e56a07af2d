"""The Targets workspace: search, chart, altitude tonight."""
