"""Stars found and measured on an image: positions, sizes, background."""
