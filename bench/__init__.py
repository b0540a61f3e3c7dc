"""Speed, as ratios measured in one run. ``make bench``; docs/performance.md says how the figures are taken."""
