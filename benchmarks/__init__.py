"""Speed, as ratios against a bare reference measured in the same, interleaved run."""
