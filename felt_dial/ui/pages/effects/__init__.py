"""The Effects page.

- `page`: the rack as a row of cards, and the chosen effect large.
- `rack_row`: A rack as a row of cards, sewn together.
"""
