"""The Watch workspace: what happens now, the last frame, trends, conditions, reasons."""
