"""Reading a file that somebody named: regular files only, no larger than makes sense, without waiting for anybody."""

from __future__ import annotations

import json
import os
import re
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

import xxhash

from dustpan.core.errors import FileProblem, os_reason
from dustpan.core.files.guard import GUARD

AT_A_TIME = 1 << 22  # bytes
JSON_MOST, SWEEP_MOST = 4 << 20, 64 << 20  # bytes of text; sweeps hold painted strokes
DEEPEST, CONTAINERS = 64, 1_000_000  # of brackets within each other, and how many there may be
MARKS = re.compile(r'"(?:[^"\\]|\\.)*"?|[][{}]', re.DOTALL)  # strings, and brackets outside of them


def read_regular(path: Path, most: int, what: str = "", check: Callable[[], None] = lambda: None) -> bytes:
    """The bytes of a file.

    Pipes, devices and folders are refused without being waited for. In a run of the command line the file is held from
    then on, so that nothing is written over it (see `guard`).

    Parameters
    ----------
    most : bytes that make sense. what : that it is too large for, as "it is too large for a recipe".
    check : called every few MB; raises to call it off.

    Raises
    ------
    FileProblem : with the reason.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY)
        with os.fdopen(handle, "rb") as file:
            about = os.fstat(handle)
            if stat.S_ISDIR(about.st_mode):
                raise FileProblem(path, "it is a folder, not a file")
            if not stat.S_ISREG(about.st_mode):
                raise FileProblem(path, "it is a pipe or a device, and no file that can be read")
            GUARD.was_read(path)
            if about.st_size > most:
                raise FileProblem(path, what or "it is too large")
            left, parts = min(about.st_size, most) + 1, []  # what grows meanwhile is not followed
            while left > 0 and (part := file.read(min(left, AT_A_TIME))):
                check()
                parts.append(part)
                left -= len(part)
            data = b"".join(parts)
    except OSError as error:
        raise FileProblem(path, os_reason(error)) from None
    except ValueError:  # a name with a zero in it
        raise FileProblem(path, "there is no such file") from None
    if len(data) > most:
        raise FileProblem(path, what or "it is too large")
    return data


def digest(file: BinaryIO) -> str:
    """What an open file holds from here on, as a short name (xxHash, 128 bit)."""
    found = xxhash.xxh3_128()
    while part := file.read(AT_A_TIME):
        found.update(part)
    return found.hexdigest()


def fingerprint(path: str | Path) -> str:
    """What a regular file holds, as a short name; empty for none that can be read."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY)
        with os.fdopen(handle, "rb") as file:
            return digest(file) if stat.S_ISREG(os.fstat(handle).st_mode) else ""
    except (OSError, ValueError):
        return ""


def parse_json(data: bytes | str, most: int = JSON_MOST) -> Any:
    """Parsed JSON of bounded size, depth and number of parts.

    Raises
    ------
    ValueError : it is no JSON, or larger, deeper or of more parts than makes sense.
    """
    if len(data) > most:
        raise ValueError("too large")
    text = data.decode("utf-8") if isinstance(data, bytes) else data
    _bounded(text)
    try:
        return json.loads(text, parse_int=_whole)
    except RecursionError:
        raise ValueError("too deep") from None


def read_json(path: Path, what: str = "", most: int = JSON_MOST) -> Any:
    """The parsed JSON of a file; ValueError when it is none that makes sense, `FileProblem` when it cannot be read."""
    return parse_json(read_regular(path, most, what), most)


def _whole(text: str) -> int:
    if len(text) > 300:  # longer than any number that means something
        raise ValueError("a number too long")
    return int(text)


def _bounded(text: str) -> None:
    """Refuse text whose brackets, outside of strings, go too deep or are too many to be read into memory."""
    deep = count = 0
    for found in MARKS.finditer(text):
        mark = found[0]
        if mark in "[{":
            deep, count = deep + 1, count + 1
            if deep > DEEPEST or count > CONTAINERS:
                raise ValueError("too deep, or of too many parts")
        elif mark in "]}":
            deep -= 1
