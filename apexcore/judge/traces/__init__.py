"""Recorded laps: what a logger measured along the lap, two of them side by side, and where the time went."""
