"""The engine's process: what it does as it begins, and how it ends.

It is started with the shared memory and one end of a pipe as inherited file handles, and ends by itself when the window is gone.
"""

from __future__ import annotations

import gc
import sys
import threading
import time
from multiprocessing.connection import Connection

from felt_dial.live.engine.engine import Engine
from felt_dial.live.engine.real_time import RealTime
from felt_dial.live.link.async_pipe import AsyncPipe
from felt_dial.live.link.messages import Begin, Compiling, Failed
from felt_dial.live.link.shared_memory import Shared


def play(engine: Engine) -> None:
    """Plays until the process ends."""
    compile_kernels(engine)
    engine.preloader.load(engine.program.patch, off_too=False)  # another patch is on its way
    threading.Thread(target=engine.listen, daemon=True).start()
    quiet = (lambda: engine.quiet_blocks,)
    threading.Thread(target=engine.preloader.load_the_rest, args=quiet, daemon=True).start()
    gc.freeze()  # what the start leaves stays; it makes next to no garbage
    gc.disable()
    engine.output.real_time = RealTime()
    engine.output.run()


def compile_kernels(engine: Engine) -> None:
    """Compiles the kernels where that was not done on this machine yet, and tells the window how far it is."""
    from felt_dial.sound.compiling.compile import compile_all, kernels_ready, left, on_terminal

    begin = time.monotonic()

    def tell(done: int, total: int) -> None:
        if engine.window.gone:
            raise SystemExit
        on_terminal(done, total)
        engine.tell(Compiling(done, total, left(done, total, time.monotonic() - begin)))

    if not kernels_ready():
        compile_all(tell)


def main(arguments: list[str]) -> None:
    """What the engine's process does: waits until the window says on what to begin, and plays until it is told to end."""
    memory, pipe = arguments
    sys.setswitchinterval(0.0005)
    window = AsyncPipe(Connection(int(pipe)))
    try:
        begin = window.recv()
    except (EOFError, OSError):
        return
    assert isinstance(begin, Begin)
    shared = Shared(int(memory))
    shared.read_from(begin.read)
    try:
        play(Engine(shared, window, begin.device, float(begin.rate), begin.frames))
    except Exception as wrong:
        window.tell(Failed(f"{type(wrong).__name__}: {wrong}"))
        window.close()
        raise
