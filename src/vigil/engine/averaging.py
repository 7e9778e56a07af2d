"""A value averaged over the last minutes, so that a gust doesn't count."""

from collections import deque
from datetime import datetime, timedelta


class Averaged:
    """Samples of one value, kept for as long as the longest average that is asked for."""

    def __init__(self, longest: timedelta = timedelta(hours=1)) -> None:
        self._longest = longest
        self._samples: deque[tuple[datetime, float]] = deque()

    def add(self, at: datetime, value: float) -> None:
        self._samples.append((at, value))
        while self._samples[0][0] < at - self._longest:
            self._samples.popleft()

    def over(self, minutes: float) -> float | None:
        """The mean of the last minutes, the latest sample at least; None without any."""
        if not self._samples:
            return None
        since = self._samples[-1][0] - timedelta(minutes=minutes)
        total = count = 0.0
        for at, value in reversed(self._samples):
            if at < since:
                break
            total, count = total + value, count + 1
        return total / count
