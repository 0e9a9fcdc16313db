"""The Threads page.

- `page`: everything that moves something, as one table, and the chosen thread beside it.
- `thread_card`: its shape, how far, how it reads its mover, what scales it, and what else meets on its dial.
- `thread_table`: one row for everything that moves something; every cell is edited where it stands.
"""
