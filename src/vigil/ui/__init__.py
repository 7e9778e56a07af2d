"""The window. Widgets draw view-models and send commands; no arithmetic of the trade is done here."""
