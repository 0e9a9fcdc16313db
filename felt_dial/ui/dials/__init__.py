"""Controls.

- `chooser`: what can be added, in groups, found as one types, each with its sentence.
- `controls`: pills, choices, the pan slider, the level meter, names that can be edited.
- `dial`: one parameter under the hand, with its value, its threads and where they take it.
- `entry`: a line that opens where the value stands, and refuses in place what cannot be read.
- `layouts`: Taking everything out of a layout.
- `snippet_button`: settings of a module are kept by name, and given to it.
- `tag`: the round buttons of everything that moves; drag one onto a dial to sew a thread.
- `under_hand`: What is under a hand stays there: a page is laid out anew once the hand lets go.
"""
