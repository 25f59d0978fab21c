"""What the library asks before it changes a car or a circuit. Whoever builds on it answers, so that it need not know them.

A receiver refuses by raising an `ApexError` that says why.
"""

from django.dispatch import Signal

#: A car is about to change. Arguments: `row`, the `Car` as it stands; `core`, the core's car that it becomes.
car_changing = Signal()

#: A circuit is about to change. Arguments: `row`, the `Circuit` as it stands; `text`, the file that it becomes.
circuit_changing = Signal()

#: The corners of a circuit have other numbers now. Arguments: `row`, the changed `Circuit`; `homes`, the new number by the old one; `said`,
#: a list that a receiver adds a sentence to for what moved with them.
corners_moved = Signal()
