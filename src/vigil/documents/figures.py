"""Numbers in sentences."""

MINUS = "−"


def signed(value: float, decimals: int | None = None) -> str:
    """A number with a true minus sign and no "−0"; without `decimals` as short as it is."""
    text = f"{value:g}" if decimals is None else f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)
