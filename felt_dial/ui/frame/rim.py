"""The outer rim of the window: what nobody caught becomes a sentence, and the work goes into the journal."""

from __future__ import annotations

import sys
import traceback
from types import TracebackType

from felt_dial.errors import FeltDialError, cut
from felt_dial.files import reason_of
from felt_dial.ui.session import Session


def say_what_nobody_caught(session: Session) -> None:
    """Lets whatever fails under a hand be said in the window from now on; faults of the program are printed as well."""

    def hook(kind: type[BaseException], wrong: BaseException, trace: TracebackType | None) -> None:
        if isinstance(wrong, FeltDialError):
            session.say(str(wrong), problem=True)
        elif isinstance(wrong, OSError):
            session.say(f"The system refused something: {reason_of(wrong)}. Your work is on the table.", problem=True)
        elif isinstance(wrong, Exception):
            traceback.print_exception(kind, wrong, trace)
            session.write_journal()
            session.say(
                f"That failed by a fault of the program ({kind.__name__}: {cut(wrong, 80)}). Your work is kept.",
                problem=True,
            )
        else:
            sys.__excepthook__(kind, wrong, trace)

    sys.excepthook = hook
