"""What accounts tell the rooms above them."""

from django.dispatch import Signal

#: An account was made. Arguments: `user`.
account_made = Signal()
