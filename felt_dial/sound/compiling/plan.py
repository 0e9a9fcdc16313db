"""Plans: work of many kernels, one after the other, as a list that is walked without Python.

A call is written down as addresses: that of the kernel's machine code, and those of its arguments, where each lies as
Numba lays it out. An *entry* is twenty lines of LLVM assembly for each form of arguments: it reads them and calls the
kernel. The *walker* goes through the list, and past what a kernel that decides says is not to be done. See docs/kernels.md.
"""

from __future__ import annotations

import ctypes
import threading
import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

ENTRY, FUNCTION, CONTEXT, SKIP = range(4)
"""Columns of a list of steps: the entry, the kernel, its arguments, and how many steps are passed by where it gives 0."""
WORDS = 5
"""Words of an array before its shape, as Numba lays it out: two for who owns it, items, bytes of an item, address."""
ITEMS, ADDRESS = 2, 4
MOST_NUMBERS = 4096
"""Numbers that a desk remembers."""

WALK = """
define i64 @walk(i64* %steps, i64 %count) {
start:
  br label %next
next:
  %n = phi i64 [0, %start], [%after, %go_on]
  %more = icmp slt i64 %n, %count
  br i1 %more, label %call, label %end
call:
  %first = mul i64 %n, 4
  %p0 = getelementptr i64, i64* %steps, i64 %first
  %p1 = getelementptr i64, i64* %p0, i64 1
  %p2 = getelementptr i64, i64* %p0, i64 2
  %p3 = getelementptr i64, i64* %p0, i64 3
  %e = load i64, i64* %p0
  %f = load i64, i64* %p1
  %c = load i64, i64* %p2
  %skip = load i64, i64* %p3
  %entry = inttoptr i64 %e to i64 (i64, i64)*
  %status = call i64 %entry(i64 %f, i64 %c)
  %bad = icmp ne i64 %status, 0
  %one = add i64 %n, 1
  br i1 %bad, label %failed, label %went
went:
  %decides = icmp sgt i64 %skip, 0
  br i1 %decides, label %ask, label %go_on
ask:
  %context = inttoptr i64 %c to i64*
  %r = load i64, i64* %context
  %result = inttoptr i64 %r to i64*
  %said = load i64, i64* %result
  %no = icmp eq i64 %said, 0
  %by = select i1 %no, i64 %skip, i64 0
  br label %go_on
go_on:
  %passed = phi i64 [0, %went], [%by, %ask]
  %after = add i64 %one, %passed
  br label %next
failed:
  ret i64 %one
end:
  ret i64 0
}
"""
CLOCK = """
define i64 @spent(i64 %clock, i64 %context) {{
  %c = inttoptr i64 %context to i64*
  %a0 = load i64, i64* %c
  %p1 = getelementptr i64, i64* %c, i64 1
  %a1 = load i64, i64* %p1
  %now = alloca [2 x i64]
  %at = ptrtoint [2 x i64]* %now to i64
  %get = inttoptr i64 %clock to i32 (i32, i64)*
  %ignored = call i32 %get(i32 {which}, i64 %at)
  %sp = getelementptr [2 x i64], [2 x i64]* %now, i64 0, i64 0
  %np = getelementptr [2 x i64], [2 x i64]* %now, i64 0, i64 1
  %s = load i64, i64* %sp
  %n = load i64, i64* %np
  %long = mul i64 %s, 1000000000
  %ns = add i64 %long, %n
  %begin = inttoptr i64 %a1 to i64*
  %since = load i64, i64* %begin
  store i64 %ns, i64* %begin
  %counts = icmp ne i64 %a0, 0
  br i1 %counts, label %count, label %end
count:
  %cost = inttoptr i64 %a0 to double*
  %was = load double, double* %cost
  %took = sub i64 %ns, %since
  %took_ns = sitofp i64 %took to double
  %more = fsub double %took_ns, %was
  %part = fmul double %more, 0.05
  %mean = fadd double %was, %part
  store double %mean, double* %cost
  br label %end
end:
  ret i64 0
}}
"""
SCALARS = {"float64": "double", "float32": "float", "int64": "i64", "int32": "i32", "bool": "i8"}


class Machine:
    """The machine code of entries and of the walker, made by LLVM as each form of arguments comes up; 3 ms for one."""

    def __init__(self) -> None:
        import llvmlite.binding as llvm

        from felt_dial.sound.compiling.kernel import _numba

        _numba()
        self._llvm, self._lock = llvm, threading.Lock()
        self._engine: Any = None
        self._entries: dict[tuple[int | str, ...], int] = {}
        self._ways: dict[tuple[int, tuple[int, ...]], tuple[int, int]] = {}
        self._kernels: list[Any] = []
        self._codes: dict[tuple[Any, ...], int] = {}
        self._types: list[tuple[Any, int | str]] = []
        walk = self._made(WALK, "walk")
        self.walk = ctypes.CFUNCTYPE(ctypes.c_int64, ctypes.c_void_p, ctypes.c_int64)(walk)
        self.spent = self._made(CLOCK.format(which=1), "spent")
        clock = ctypes.CDLL(None).clock_gettime
        self.clock: int = ctypes.cast(clock, ctypes.c_void_p).value or 0

    def _made(self, assembly: str, name: str) -> int:
        llvm = self._llvm
        module = llvm.parse_assembly(assembly)
        if self._engine is None:
            machine = llvm.Target.from_default_triple().create_target_machine(opt=1)
            self._engine = llvm.create_mcjit_compiler(module, machine)
        else:
            self._engine.add_module(module)
        self._engine.finalize_object()
        return int(self._engine.get_function_address(name))

    def entry(self, form: tuple[int | str, ...]) -> int:
        """The address of the entry for arguments of a form: for each an array of so many words, or a type of LLVM."""
        with self._lock:
            found = self._entries.get(form)
            if found is None:
                name = f"entry{len(self._entries)}"
                found = self._entries[form] = self._made(entry_text(name, form), name)
        return found

    def way(self, kernel: Any, codes: tuple[int, ...]) -> tuple[int, int]:
        """The addresses of the entry and of a kernel's own code, for arguments of some types."""
        found = self._ways.get((id(kernel), codes))
        if found is None:
            self._kernels.append(kernel)  # so that its name stays its own
            types = tuple(self._types[code][0] for code in codes)
            kernel.compile(types)
            made = kernel.overloads[types]
            own = made.library.get_pointer_to_function(made.fndesc.llvm_func_name)
            found = self._ways[id(kernel), codes] = self.entry(tuple(self._types[code][1] for code in codes)), own
        return found

    def code_of(self, array: NDArray[Any]) -> int:
        """A number that stands for the type of an array."""
        flags = array.flags
        key = array.dtype, array.ndim, flags.c_contiguous, flags.f_contiguous, flags.writeable, flags.aligned
        found = self._codes.get(key)
        if found is None:
            from numba import typeof

            found = self._code(key, typeof(array), WORDS + 2 * array.ndim)
        return found

    def code_of_number(self, dtype: np.dtype[Any]) -> int:
        """A number that stands for the type of a single number."""
        found = self._codes.get((dtype,))
        if found is None:
            from numba import from_dtype

            found = self._code((dtype,), from_dtype(dtype), SCALARS[dtype.name])
        return found

    def _code(self, key: tuple[Any, ...], kind: Any, form: int | str) -> int:
        with self._lock:  # the sound plans, and beside it a thread that builds the next program
            if key not in self._codes:
                self._types.append((kind, form))
                self._codes[key] = len(self._types) - 1
            return self._codes[key]


def entry_text(name: str, form: tuple[int | str, ...]) -> str:
    """LLVM assembly of an entry: reads arguments at the addresses of a context, whose first is that of the result."""
    lines = [f"define i64 @{name}(i64 %function, i64 %context) {{", "  %c = inttoptr i64 %context to i64*"]
    lines += ["  %result = load i64, i64* %c", "  %fault = alloca i64", "  %exc = ptrtoint i64* %fault to i64"]
    given = ["i64 %result", "i64 %exc"]
    for n, kind in enumerate(form):
        read = "i64" if isinstance(kind, int) else kind
        lines += [f"  %q{n} = getelementptr i64, i64* %c, i64 {n + 1}", f"  %r{n} = load i64, i64* %q{n}"]
        lines.append(f"  %p{n} = inttoptr i64 %r{n} to {read}*")
        for word in range(kind if isinstance(kind, int) else 1):
            lines.append(f"  %g{n}_{word} = getelementptr {read}, {read}* %p{n}, i64 {word}")
            lines.append(f"  %v{n}_{word} = load {read}, {read}* %g{n}_{word}")
            given.append(f"{read} %v{n}_{word}")
    kinds = ", ".join(one.split()[0] for one in given)
    lines.append(f"  %code = inttoptr i64 %function to i32 ({kinds})*")
    lines.append(f"  %status = call i32 %code({', '.join(given)})")
    lines += ["  %said = zext i32 %status to i64", "  ret i64 %said", "}"]
    return "\n".join(lines)


_machine: list[Machine] = []
_making = threading.Lock()


def machine() -> Machine:
    """The one of this process."""
    if not _machine:
        with _making:
            if not _machine:
                _machine.append(Machine())
    return _machine[0]


class At(NamedTuple):
    """A number that is read where it stands at the moment of the call: an item of an array of one dimension."""

    array: NDArray[Any]
    item: int


def address_of(array: NDArray[Any]) -> int:
    """Where an array begins."""
    return int(array.__array_interface__["data"][0])


def words_of(array: NDArray[Any]) -> NDArray[np.int64]:
    """An array as Numba lays it out, int64 (word,)."""
    return np.array([0, 0, array.size, array.itemsize, address_of(array), *array.shape, *array.strides], np.int64)


class Listed:
    """A list of rows, int32 (row,), that grows and shrinks where it lies, for kernels that are told of it once."""

    def __init__(self, most: int) -> None:
        self.room = np.zeros(most, np.int32)
        self.words = words_of(self.room)
        self._argument: Argument | None = None
        self.set(self.room[:0])

    def set(self, rows: NDArray[Any]) -> None:
        """Lists other rows."""
        count = len(rows)
        self.room[:count] = rows
        self.words[ITEMS] = self.words[WORDS] = count

    @property
    def now(self) -> NDArray[np.int32]:
        """The rows that it lists, int32 (row,); holds until the list changes."""
        found: NDArray[np.int32] = self.room[: int(self.words[ITEMS])]
        return found

    def argument(self, machine: Machine) -> Argument:
        """The list as an argument of a kernel."""
        if self._argument is None:
            self._argument = Argument(address_of(self.words), machine.code_of(self.room), (self.room, self.words))
        return self._argument


class Argument(NamedTuple):
    """An argument written down: where it lies, what stands for its type, what must live for it, and where its data begin."""

    address: int
    code: int
    lives: Any
    data: int = 0


class Desk:
    """Where arguments are written down, each once for all plans of a program."""

    def __init__(self) -> None:
        self.machine = machine()
        self._arrays: dict[int, tuple[weakref.ref[Any], Argument]] = {}
        self._numbers: dict[tuple[type, Any], Argument] = {}
        self._most = MOST_NUMBERS
        """Arrays that are remembered before those that are no more are looked for."""

    def argument(self, given: Any) -> Argument:
        """An argument of a kernel: an array, a list of rows, a number, or where a number stands."""
        kept = self._arrays.get(id(given))
        if kept is not None and kept[0]() is given:
            return kept[1]
        kind = type(given)
        if kind is np.ndarray:
            words = words_of(given)
            found = Argument(address_of(words), self.machine.code_of(given), words, int(words[ADDRESS]))
            if len(self._arrays) > self._most:
                self._tidy()
            self._arrays[id(given)] = weakref.ref(given), found
            return found
        if kind is Listed:
            return cast(Listed, given).argument(self.machine)
        if kind is At:
            array = given.array
            address = address_of(array) + given.item * array.strides[-1]
            return Argument(address, self.machine.code_of_number(array.dtype), array)
        known = self._numbers.get((kind, given))
        if known is None:
            cell = np.array([given])
            known = Argument(address_of(cell), self.machine.code_of_number(cell.dtype), cell)
            if len(self._numbers) < MOST_NUMBERS:
                self._numbers[kind, given] = known
        return known

    def _tidy(self) -> None:
        """Forgets arrays that are no more. (To be told of each would tie a knot that keeps all of a program.)"""
        self._arrays = {key: kept for key, kept in self._arrays.items() if kept[0]() is not None}
        self._most = 2 * len(self._arrays) + MOST_NUMBERS


class Plan:
    """Calls of kernels, one after the other."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._rows: list[list[int]] = []
        self._context: list[int] = []
        self._lives: list[Any] = []
        self._nobody = np.zeros(8, np.int64)
        self._nowhere = address_of(self._nobody)
        self.steps = np.zeros((0, 4), np.int64)

    def call(self, kernel: Any, *given: Any, into: NDArray[Any] | None = None) -> None:
        """A call; what the kernel gives goes `into` the first items of an array of that type, or nowhere.

        What is made of several kernels says itself what it calls, by a method `plan`.
        """
        if hasattr(kernel, "plan"):
            kernel.plan(self.call, *given)
            return
        desk = self._desk
        arguments = [desk.argument(one) for one in given]
        entry, function = desk.machine.way(kernel, tuple([one.code for one in arguments]))
        self._rows.append([entry, function, len(self._context), 0])
        self._context.append(self._nowhere if into is None else desk.argument(into).data)
        self._context += [one.address for one in arguments]
        self._lives.append((given, into, arguments))

    @contextmanager
    def where(self, kernel: Any, *given: Any) -> Iterator[None]:
        """What is planned within is done where a kernel gives an integer other than 0."""
        self.call(kernel, *given, into=np.zeros(1, np.int64))
        place = len(self._rows)
        yield
        self._rows[place - 1][SKIP] = len(self._rows) - place

    @contextmanager
    def timed(self, cost: NDArray[np.float64]) -> Iterator[None]:
        """The running mean of the nanoseconds that what is planned within takes is kept in `cost` (1,)."""
        since = np.zeros(1, np.int64)
        self._look_at_clock(0, since)
        yield
        self._look_at_clock(address_of(cost), since)
        self._lives.append(cost)

    def _look_at_clock(self, cost: int, since: NDArray[np.int64]) -> None:
        machine = self._desk.machine
        self._rows.append([machine.spent, machine.clock, len(self._context), 0])
        self._context += [cost, address_of(since)]
        self._lives.append(since)

    def finish(self) -> Plan:
        """Lays the steps out; nothing can be added any more."""
        context = np.array(self._context, np.int64)
        self._lives.append(context)
        self.steps = np.array(self._rows, np.int64).reshape(-1, 4)
        self.steps[:, CONTEXT] = self.steps[:, CONTEXT] * 8 + address_of(context)
        return self


class Walk:
    """Several plans, one after the other, ready to be walked."""

    def __init__(self, plans: list[Plan]) -> None:
        self._plans = plans
        self.steps = np.concatenate([plan.steps for plan in plans]) if plans else np.zeros((0, 4), np.int64)
        self._walk, self._at, self._count = machine().walk, address_of(self.steps), len(self.steps)

    def __call__(self) -> None:
        """Does all of it; the GIL is not held."""
        failed = self._walk(self._at, self._count)
        if failed:
            raise RuntimeError(f"Step {failed} of {self._count} failed.")
