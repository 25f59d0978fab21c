"""Event, sheet and conditions to the core's answers, kept within bounds of memory."""
