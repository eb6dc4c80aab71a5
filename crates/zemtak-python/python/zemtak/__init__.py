"""Packs loose sprites into texture pages, proves them, and reads them.

    import zemtak

    packed = zemtak.pack("art", out="build", name="night", gutter=4, turn=True)
    for atlas in packed.atlases:
        print(atlas["name"], atlas["sprites"], "sprites")

    assert not zemtak.verify("build/night.zemtak.json", against="art")

    atlas = zemtak.load("build/night.zemtak.json")
    pixels = zemtak.page("build/night.zemtak.json", 0)   # a numpy array of rows, columns and RGBA, where numpy is there

Options of an atlas have the names of the project file. What is wrong is an `Error` with all problems at once.
"""

import json
import os
from dataclasses import dataclass
from typing import Any, Callable, Dict, List, Optional

from . import _zemtak
from .reader import Atlas, Clip, Layer, Page, Player, Quad, ReadError, Shown, Sprite, Step, load, read

__all__ = [
    "Atlas", "Clip", "Error", "Layer", "Packed", "Page", "Player", "Quad", "ReadError", "Shown", "Sprite", "Step", "Stopped",
    "load", "pack", "page", "read", "scan", "verify",
]

Progress = Callable[[str, int, Optional[int]], Any]


class Error(Exception):
    """What is wrong: a list of problems, each with `code`, `what`, `where`, `why` and `help`."""

    def __init__(self, problems: List[Dict[str, str]]):
        super().__init__("\n".join(": ".join(filter(None, (p["what"], p["where"], p["why"]))) for p in problems))
        self.problems = problems


class Stopped(Error):
    """The work was stopped by its progress function; what was there before is as it was."""


@dataclass(frozen=True)
class Packed:
    """What a build came to. Atlases are as `zemtak pack --json` tells them: docs/json.md has their keys."""

    atlases: List[Dict[str, Any]]
    warnings: List[str]
    inputs: List[str]

    @property
    def descriptors(self) -> List[str]:
        """The descriptors, of other sizes too."""
        return [atlas["descriptor"] for atlas in self.atlases]


def _run(function, *arguments):
    try:
        return json.loads(function(*arguments))
    except _zemtak.Problems as error:
        stopped, problems = error.args
        raise (Stopped if stopped else Error)(json.loads(problems)) from None


def _paths(paths):
    return [os.fspath(path) for path in paths]


def _path(path):
    return None if path is None else os.fspath(path)


def pack(*paths, project=None, out=None, name=None, root=None, fresh=False, check=False,
         progress: Optional[Progress] = None, **options) -> Packed:
    """Builds what is out of date: of folders and images, or else of a project file (the nearest one, or `project`).

    `options` are those of an atlas in the project file, as `gutter=4` or `page={"max": [1024, 1024]}`; for paths only. With `check`
    nothing is written. `progress` is called with a phase, how much of it is done, and of how much, where that is known; if it returns
    False the build stops, and an exception in it is raised here.
    """
    request = json.dumps({
        "paths": _paths(paths), "project": _path(project), "out": _path(out), "name": name, "root": _path(root),
        "fresh": fresh, "check": check, "options": options,
    })
    return Packed(**_run(_zemtak.pack, request, progress))


def verify(descriptor, against=None, project=None, mips: Optional[int] = None,
           progress: Optional[Progress] = None) -> List[Dict[str, Any]]:
    """Holds an atlas to its own promises (files, hashes, boxes, gutters, rings, layers, mip levels) and, with `against`, each sprite and
    layer to its source, pixel by pixel. Which images layers come from is said by the rules of the project file, by default the nearest one.
    `mips` is the level down to which no sprite may show pixels of others; pages that promise such a level are held to it anyway. Gives what
    does not hold, each with `code`, `about` and `text`: an empty list if all does."""
    return _run(_zemtak.verify, os.fspath(descriptor), _path(against), _path(project), mips, progress)


def scan(*paths, progress: Optional[Progress] = None) -> Dict[str, Any]:
    """Looks at images before packing: `sprites`, `formats`, `skipped`, and `findings` with `code`, `severity` and `items`."""
    return _run(_zemtak.scan, _paths(paths), progress)


def page(descriptor, index: int = 0):
    """The pixels of a page, straight or premultiplied as it stores them: a numpy array of shape (height, width, 4) or, without numpy, a
    tuple of width, height and bytes."""
    try:
        width, height, pixels = _zemtak.page(os.fspath(descriptor), index)
    except _zemtak.Problems as error:
        raise Error(json.loads(error.args[1])) from None
    try:
        import numpy
    except ImportError:
        return width, height, pixels
    return numpy.frombuffer(pixels, dtype=numpy.uint8).reshape(height, width, 4)
