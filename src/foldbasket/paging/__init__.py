"""Reports on paper, as far as nothing is drawn: where pages end, and what stands at their head and foot."""
