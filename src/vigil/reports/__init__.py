"""Reports of nights: what they say, and how they are written: one HTML page, PDF, plain text."""
