"""The bench: ratios against an anchor timed in the same run, since machines are noisy and clocks differ."""
