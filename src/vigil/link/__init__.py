"""The client's side of the keeper, and the transports."""
