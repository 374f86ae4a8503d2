"""What is compiled: kernels, which Python calls, and parts of them, which only kernels call.

A kernel is compiled for the types that it declares and for no others, at its first use in a version of the code or by
`compile_kernel`, and kept on the disk. Its callers hand over what it declares: whole arrays in C order. Parts take
their types from the kernels that call them and are compiled along with these, which keeps them quick to compile.
"""

from __future__ import annotations

import gc
import os
from collections.abc import Callable
from functools import cached_property
from typing import Any

from numba import njit
from numba.core import event, types
from numba.core.caching import UserProvidedCacheLocator
from numba.core.extending import register_jitable

b1, f4, f8, i4, i8, u1, u2, u4 = (getattr(types, name) for name in ("b1", "f4", "f8", "i4", "i8", "u1", "u2", "u4"))
ROW, PLANE, PLANES = f4[::1], f4[:, ::1], f4[:, :, ::1]  # what most kernels take: float32 in C order
EXACT: dict[str, Any] = {"nogil": True, "error_model": "numpy"}
FAST: dict[str, Any] = EXACT | {"fastmath": True}

_compiler: Any = njit  # which takes more options than its types tell
KERNELS: dict[str, Kernel] = {}  # by module and name; of the modules that have been imported
PARTS: list[str] = []  # of those modules as well
UNFORESEEN: list[str] = []  # calls with other types than were declared, which is a fault of the caller, and slow once


def seen(array: Any) -> Any:
    """The type of an array that is only read, and may not be allowed to be written to."""
    return array.copy(readonly=True)


def record(kind: type, *fields: Any) -> Any:
    """The type of a named tuple."""
    return types.NamedTuple(fields, kind)


def tuple_of(kind: type, of: Any) -> Any:
    """The type of a named tuple whose fields are all of one type."""
    return types.NamedUniTuple(of, len(kind._fields), kind)  # type: ignore[attr-defined]


class Locator(UserProvidedCacheLocator):
    """Finds kernels by their modules' names, wherever the code lies, so that they can be shipped with it."""

    def __init__(self, function: Any, source: str) -> None:
        super().__init__(function, source)
        self._cache_path = os.path.join(os.environ["NUMBA_CACHE_DIR"], function.__module__)


class Kernel:
    """A compiled function of declared types.

    Parameters
    ----------
    function : what is compiled. signature : types of its arguments. options : of the compiler.
    """

    def __init__(self, function: Callable[..., Any], signature: tuple, options: dict[str, Any]) -> None:
        self.function, self.signature, self._options = function, signature, options
        self.name = _name_of(function)
        self.__doc__ = function.__doc__

    @cached_property
    def compiled(self) -> Any:
        """For the declared types; takes no others."""
        return _compiler(self.signature, cache=True, no_cfunc_wrapper=True, **self._options)(self.function)

    @cached_property
    def _for_others(self) -> Any:
        return _compiler(**self._options)(self.function)

    def __call__(self, *args: Any) -> Any:
        try:
            return self.compiled(*args)
        except TypeError as error:
            if "No matching definition" not in str(error):
                raise
            UNFORESEEN.append(f"{self.name}: {error}")
            return self._for_others(*args)


def _name_of(function: Any) -> str:
    return f"{function.__module__.removeprefix('dustpan.')}.{function.__name__}"


def kernel(*signature: Any, options: dict[str, Any] = EXACT) -> Callable[[Callable[..., Any]], Kernel]:
    """A function that is compiled for these types of its arguments."""

    def make(function: Callable[..., Any]) -> Kernel:
        made = Kernel(function, signature, options)
        KERNELS[made.name] = made
        return made

    return make


def part(options: dict[str, Any] = EXACT, inline: bool = False) -> Callable[[Callable[..., Any]], Any]:
    """A function that only kernels call; ``inline`` has it laid into them wherever they do."""

    def make(function: Callable[..., Any]) -> Any:
        PARTS.append(_name_of(function))
        return register_jitable(no_cpython_wrapper=True, no_cfunc_wrapper=True, forceinline=inline, **options)(function)

    return make


def on_compiling(tell: Callable[[str], None]) -> Callable[[], None]:
    """Tell the name of every kernel that is compiled from now on, and "" when it is there; gives what ends that."""
    listener = _Compiling(tell)
    event.register("numba:compile", listener)
    return lambda: event.unregister("numba:compile", listener)


class _Compiling(event.Listener):
    """Hears of compiling; kernels take along what they call, so that only the outermost is told."""

    def __init__(self, tell: Callable[[str], None]) -> None:
        self._tell, self._depth = tell, 0

    def on_start(self, event: Any) -> None:
        if self._depth == 0:
            self._tell(_name_of(event.data["dispatcher"].py_func))
        self._depth += 1

    def on_end(self, event: Any) -> None:
        self._depth -= 1
        if self._depth == 0:
            self._tell("")


def compile_kernel(name: str) -> None:
    """Compile the kernel of this name unless it is on the disk already."""
    collects = gc.isenabled()
    gc.disable()  # of all that a compiler makes little is garbage
    try:
        _ = KERNELS[name].compiled
    finally:
        if collects:
            gc.enable()
