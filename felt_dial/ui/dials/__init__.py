"""Controls.

- `cards`: Cards of cloth that controls lie on: plain, or with a dye band on top.
- `chooser`: what can be added, in groups, found as one types, each with its sentence.
- `controls`: pills, choices, the pan slider, the level meter, names that can be edited.
- `dial`: the round face of a parameter, with its value, its threads and where they take it.
- `entry`: a line that opens where the value stands, and refuses in place what cannot be read.
- `figure_menu`: A menu that asks for figures before something is done: sliders above, what is done with them below.
- `focus`: what takes it in a part of the window, in the order in which it stands there.
- `layouts`: Taking everything out of a layout.
- `param_control`: One parameter under the hand: turned, typed, sewn, whatever face it wears.
- `picker`: it makes its list when it is first opened, since a list takes ten times as long as all else of it.
- `plain_slider`: A slider for a figure that belongs to no patch: how far, how long, how strongly something is done on
  a bench.
- `scrolling`: Panels that scroll, and wheels that keep scrolling: what slides under a still pointer is not turned.
- `shake_pill`: other settings of a module or a layer by chance, where it stands, as one step.
- `slider`: Flat faces of a parameter, for rows: a short track, and a value that is turned where it stands.
- `snippet_button`: settings of a module are kept by name, and given to it.
- `specimen`: the picture of a module as it comes from the shop, small, for lists of what can be added.
- `tag`: the round buttons of everything that moves; drag one onto a dial to sew a thread.
- `turning`: what shows one part of a patch comes to show another that is laid out alike.
- `under_hand`: What is under a hand stays there: a page is laid out anew once the hand lets go.
"""
