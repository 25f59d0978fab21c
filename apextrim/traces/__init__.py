"""Recorded laps: two side by side, a run corner by corner, files of recordings in and out."""
