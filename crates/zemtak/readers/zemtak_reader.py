# SPDX-License-Identifier: 0BSD
"""Reads Zemtak atlases, tells where sprites are and how to draw them, and plays clips. Python 3.9 or later, no other module.

Reader version 1, for descriptors of version 1. Add this file to your game, and change it as you like. Your game loads the pictures
itself: `atlas.pages` names the files.

    import zemtak_reader

    atlas = zemtak_reader.load("build/night.zemtak.json")
    moth = atlas.sprites["moth/fly/03"]
    quad = moth.quad(120, 64, scale=(2, 2))            # four positions and four texture coordinates
    texture = load_texture(atlas.pages[moth.page].file)

    player = zemtak_reader.Player(atlas.clips["moth/fly"])
    for step in player.advance(16_666_667):            # nanoseconds; every step that begins on the way
        for event in step.events:
            play_sound(event)
    show(atlas.sprites[player.step.sprite])

Pixels have their origin at the top left, y down. Corners come in the order top left, top right, bottom right, bottom left of
the upright sprite, whether it is stored turned or not.
"""

import bisect
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Dict, Iterator, List, NamedTuple, Optional, Tuple

VERSION = 1
LONGEST_SIDE = 1 << 20
LONGEST_MS = 1e12


class ReadError(ValueError):
    """What is wrong with a descriptor, and where: `sprites["moth/fly/03"].box: …`."""


class Quad(NamedTuple):
    """Two triangles: the positions and texture coordinates of the upright corners, and six indices into them."""

    positions: List[Tuple[float, float]]
    uvs: List[Tuple[float, float]]
    indices: Tuple[int, ...]


@dataclass(frozen=True)
class Layer:
    """A further image of a page, such as its normals, with the same boxes."""

    file: str
    pixels: str
    alpha: str
    colour: str


@dataclass(frozen=True)
class Page:
    """A texture. `file` is relative to the descriptor; docs/format.md explains the other strings."""

    file: str
    width: int
    height: int
    pixels: str
    alpha: str
    colour: str
    filter: str
    wrap: str
    mips: int
    safe_mips: Optional[int]
    hash: str
    layers: Dict[str, Layer]


@dataclass(frozen=True)
class Sprite:
    """A sprite, or a part of one. All values are in pixels: `box` (x, y, width, height) as stored on its page, `canvas` its full size,
    `inset` where the upright box begins on the canvas, `pivot` the point by which it is placed."""

    name: str
    page: int
    page_size: Tuple[int, int]
    box: Tuple[int, int, int, int]
    turned: bool
    canvas: Tuple[int, int]
    inset: Tuple[int, int]
    pivot: Tuple[float, float]
    points: Dict[str, Tuple[float, float]] = field(default_factory=dict)
    stretch: Optional[Tuple[int, int, int, int]] = None
    tags: Tuple[str, ...] = ()
    user: Any = None

    @property
    def upright(self) -> Tuple[int, int]:
        """Width and height of the upright box."""
        w, h = self.box[2:]
        return (h, w) if self.turned else (w, h)

    def uvs(self, flip_x=False, flip_y=False, v_up=False, shrink=0.0) -> List[Tuple[float, float]]:
        """The texture coordinates of the corners. With `v_up` row 0 of the page is at v = 1. `shrink` moves each edge inwards by
        this many texels, at most to the centre; 0.5 keeps linear filtering within the box."""
        (x, y, w, h), (page_w, page_h) = self.box, self.page_size
        dx, dy = min(shrink, w / 2), min(shrink, h / 2)
        left, right, top, bottom = x + dx, x + w - dx, y + dy, y + h - dy
        if v_up:
            top, bottom = page_h - top, page_h - bottom
        u0, v0, u1, v1 = left / page_w, top / page_h, right / page_w, bottom / page_h
        corners = [(u0, v0), (u1, v0), (u1, v1), (u0, v1)]
        if self.turned:  # The upright top left is the stored top right, and so on round.
            corners = corners[1:] + corners[:1]
        if flip_x:
            corners = [corners[i] for i in (1, 0, 3, 2)]
        if flip_y:
            corners = [corners[i] for i in (3, 2, 1, 0)]
        return corners

    def part(self, x: int, y: int, width: int, height: int) -> Optional["Sprite"]:
        """A part of a sprite, in canvas pixels. It keeps the canvas and the pivot, so that it is drawn at its place on the whole.
        Whatever lies outside the canvas or was trimmed is cut off; None if nothing is left."""
        (upright_w, upright_h), (inset_x, inset_y) = self.upright, self.inset
        left, top = max(x, inset_x), max(y, inset_y)
        right, bottom = min(x + width, inset_x + upright_w), min(y + height, inset_y + upright_h)
        if left >= right or top >= bottom:
            return None
        i, j, w, h = left - inset_x, top - inset_y, right - left, bottom - top
        stored_x, stored_y = self.box[:2]
        # Pixel (i, j) of the upright box lies at (h - 1 - j, i) of a turned one.
        if self.turned:
            box = (stored_x + upright_h - j - h, stored_y + i, h, w)
        else:
            box = (stored_x + i, stored_y + j, w, h)
        return replace(self, box=box, inset=(left, top))

    def quad(self, x: float, y: float, scale=(1.0, 1.0), degrees=0.0, y_up=False, v_up=False, shrink=0.0) -> Quad:
        """Draws it with its pivot at (x, y): scaled (a negative scale mirrors), then rotated, clockwise as seen; with `y_up` y
        goes up on the screen and it rotates counter-clockwise."""
        (left, top), (w, h) = self.inset, self.upright
        edges = (left, top, left + w, top + h)
        return self._over(edges, self.pivot, x, y, scale, degrees, y_up, v_up, shrink)

    def _over(self, edges, pivot, x, y, scale, degrees, y_up, v_up, shrink) -> Quad:
        left, top, right, bottom = edges
        sin, cos = _sin_cos(degrees)
        sx, sy = scale
        seen = -sy if y_up else sy

        def vertex(cx, cy):
            dx, dy = sx * (cx - pivot[0]), seen * (cy - pivot[1])
            return (x + (cos * dx - sin * dy), y + (sin * dx + cos * dy))

        positions = [vertex(left, top), vertex(right, top), vertex(right, bottom), vertex(left, bottom)]
        mirrored = (sx < 0) != (sy < 0)
        indices = (0, 3, 2, 0, 2, 1) if mirrored else (0, 1, 2, 0, 2, 3)
        return Quad(positions, self.uvs(v_up=v_up, shrink=shrink), indices)

    def stretched(self, width, height, x, y, scale=(1.0, 1.0), degrees=0.0, y_up=False, v_up=False, shrink=0.0,
                  tiled=False) -> List[Quad]:
        """Quads that draw it `width` by `height` canvas pixels in size: the bands of `stretch` keep their size, and the middle is
        stretched, or repeated if `tiled`. Without bands, all of it is the middle."""
        bands = self.stretch or (0, 0, 0, 0)
        columns = _Bands(self.canvas[0], bands[0], bands[2], width, tiled)
        rows = _Bands(self.canvas[1], bands[1], bands[3], height, tiled)
        pivot = (columns.place(self.pivot[0]), rows.place(self.pivot[1]))
        quads = []
        for top, h, down in rows.pieces():
            for left, w, across in columns.pieces():
                shown = self.part(left, top, w, h)
                if shown is not None:
                    (sx, sy), (sw, sh) = shown.inset, shown.upright
                    edges = (_side(sx, left, w, across), _side(sy, top, h, down),
                             _side(sx + sw, left, w, across), _side(sy + sh, top, h, down))
                    quads.append(shown._over(edges, pivot, x, y, scale, degrees, y_up, v_up, shrink))
        return quads


def _side(at, start, length, to):
    return to[0] + (to[1] - to[0]) * float(at - start) / float(length)


def _sin_cos(degrees):
    """Exact for quarter turns."""
    quarter = {0.0: (0.0, 1.0), 90.0: (1.0, 0.0), 180.0: (0.0, -1.0), 270.0: (-1.0, 0.0)}.get(degrees % 360.0)
    return quarter or (math.sin(math.radians(math.fmod(degrees, 360.0))), math.cos(math.radians(math.fmod(degrees, 360.0))))


class _Bands:
    """One side of a stretched sprite: three bands on its canvas, and where they are drawn."""

    def __init__(self, length, first, last, to, tiled):
        first = min(first, length)
        last = min(last, length - first)
        both, between = float(first + last), float(length - first - last)
        size = to / both if both > to else 1.0  # Bands that do not fit side by side shrink in proportion.
        self.source = (0, first, length - last, length)
        self.to = (0.0, first * size, to - last * size, float(to))
        self.copies = 1
        if tiled and between > 0:
            self.copies = int(min(max(math.floor((self.to[2] - self.to[1]) / between + 0.5), 1), 1024))

    def pieces(self):
        for band in range(3):
            start, end = self.to[band], self.to[band + 1]
            length = self.source[band + 1] - self.source[band]
            copies = self.copies if band == 1 else 1
            for n in range(copies):
                a, b = start + (end - start) * n / copies, start + (end - start) * (n + 1) / copies
                if length > 0 and b > a:
                    yield self.source[band], length, (a, b)

    def place(self, at):
        band = 0 if at < self.source[1] else 2 if at > self.source[2] else 1
        start, length = self.source[band], self.source[band + 1] - self.source[band]
        if length == 0:
            return self.to[band] + (at - start)
        return self.to[band] + (at - start) * (self.to[band + 1] - self.to[band]) / length


@dataclass(frozen=True)
class Step:
    """A step of a clip. `sprite` is a name of this atlas, or `atlas:name` of another one."""

    sprite: str
    events: Tuple[str, ...]


class Shown(NamedTuple):
    """What a clip shows at a given time: the number of the step, how often the clip has played, and whether a clip that plays once
    is over."""

    step: int
    played: int
    ended: bool


class Clip:
    """A clip. Times are whole nanoseconds and counted exactly, at any rate and however long."""

    def __init__(self, name: str, mode: str, fps, steps, durations):
        self.name, self.mode, self.steps = name, mode, steps
        # A rate of n/d makes frames of d * 10^9 / n nanoseconds: all times are whole in ticks of 1/n of one.
        self._scale = fps.numerator or 1
        frame = fps.denominator * 10**9
        ticks = [frame if own is None else own * self._scale for own in durations]
        turns = list(range(len(steps)))
        if mode == "bounce":
            turns += range(len(steps) - 2, 0, -1)
        self._still = fps == 0 and None in durations
        if self._still:  # It stands on the first step without a duration of its own.
            turns = turns[: durations.index(None) + 1]
        self._turns, self._starts, now = turns, [], 0
        for turn in turns:
            self._starts.append(now)
            now += ticks[turn]
        self._length = now

    def at(self, nanoseconds: int) -> Shown:
        """What is shown at a given time. Negative times count back from the end of a period; a clip that plays once then shows its
        first step."""
        tick, played = self._fold(nanoseconds * self._scale)
        return Shown(self._turns[self._turn_at(tick)], played, self.mode == "once" and played > 0)

    def _fold(self, tick):
        """A place in the first period, and the periods before it."""
        if self._still:
            return (tick, 0) if tick >= 0 else (0, 0) if self.mode == "once" else (self._starts[-1], -1)
        if self.mode == "once":
            return min(max(tick, 0), self._length), int(tick >= self._length)
        played, tick = divmod(tick, self._length)
        return tick, played

    def _turn_at(self, tick):
        return max(bisect.bisect_right(self._starts, tick) - 1, 0)


class Player:
    """Plays a clip. It starts at the position `nanoseconds`: start each of a crowd elsewhere, and they do not move in step."""

    def __init__(self, clip: Clip, nanoseconds: int = 0):
        self.clip = clip
        self._tick, _ = clip._fold(nanoseconds * clip._scale)
        self._turn = clip._turn_at(self._tick)
        self.played = 0

    @property
    def step(self) -> Step:
        """The step to show now."""
        return self.clip.steps[self.clip._turns[self._turn]]

    @property
    def ended(self) -> bool:
        """Whether a clip that plays once is over."""
        return self.clip.mode == "once" and self.played > 0

    def advance(self, nanoseconds: int) -> Iterator[Step]:
        """Goes on, or back where that is below 0, and gives every step that begins on the way, in order."""
        clip, turn = self.clip, self._turn
        self._tick, played = clip._fold(self._tick + nanoseconds * clip._scale)
        self._turn = clip._turn_at(self._tick)
        count = len(clip._turns)
        moved = self._turn - turn + (0 if clip.mode == "once" else played * count)
        self.played = played if clip.mode == "once" else self.played + played
        by = 1 if moved > 0 else -1
        turns = clip._turns
        return (clip.steps[turns[(turn + by * n) % count]] for n in range(1, abs(moved) + 1))


@dataclass(frozen=True)
class Atlas:
    """Sprites packed onto pages, and clips of them."""

    name: str
    build_id: Optional[str]
    scale: float
    base: Optional[str]
    pages: List[Page]
    sprites: "Sprites"
    clips: Dict[str, Clip]


class Sprites(Mapping):
    """Sprites by name. Each is made when it is first asked for: an atlas of thousands is read no slower than its JSON."""

    def __init__(self, checked, pages):
        self._checked, self._pages, self._made = checked, pages, {}

    def __getitem__(self, name: str) -> Sprite:
        sprite = self._made.get(name)
        if sprite is None:
            sprite = self._made[name] = _sprite(name, _Node(self._checked[name], ""), self._pages)
        return sprite

    def __contains__(self, name) -> bool:
        return name in self._checked

    def __iter__(self) -> Iterator[str]:
        return iter(self._checked)

    def __len__(self) -> int:
        return len(self._checked)


def load(path) -> Atlas:
    """Reads a descriptor, NAME.zemtak.json. Raises ReadError, and OSError where the file cannot be read."""
    with open(path, encoding="utf-8") as file:
        try:
            text = file.read()
        except UnicodeDecodeError as error:
            raise ReadError(f"no UTF-8: {error}") from None
    return read(text)


def read(text: str) -> Atlas:
    """Reads a descriptor's text. Raises ReadError if it is not a valid descriptor."""
    try:
        whole = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ReadError(f"no JSON: {error}") from None
    whole = _Node(whole, "")
    version = whole.get("zemtak").whole(0)
    if version != VERSION:
        whole.get("zemtak").wrong(f"is version {version}, this reader reads version {VERSION}")
    needs = whole.get("needs").texts()
    if needs:
        whole.get("needs").wrong(f"asks for {', '.join(needs)}, which this reader does not know")
    pages = [_page(page) for page in whole.get("pages").items()]
    sizes = [(page.width, page.height) for page in pages]
    named = whole.get("sprites")
    for name, sprite in named._of((dict,), "an object").items():
        if not _is_right(sprite, sizes):
            _sprite(name, _Node(sprite, f"sprites[{json.dumps(name)}]"), pages)
    sprites = Sprites(named.value, pages)
    clips = {name: _clip(name, clip, sprites) for name, clip in whole.get("clips").entries()}
    build_id, base = whole.find("build_id"), whole.find("base")
    return Atlas(whole.get("name").text(), build_id and build_id.text(), whole.get("scale").number(), base and base.text(), pages,
                 sprites, clips)


class _Node:
    """A value and its place, for messages."""

    def __init__(self, value, place):
        self.value, self.place = value, place

    def wrong(self, why):
        raise ReadError(f"{self.place or 'the descriptor'}: {why}")

    def _of(self, kind, what):
        if type(self.value) not in kind:
            self.wrong(f"should be {what}")
        return self.value

    def find(self, key):
        value = self._of((dict,), "an object").get(key)
        return None if value is None else _Node(value, f"{self.place}.{key}" if self.place else key)

    def get(self, key):
        return self.find(key) or self.wrong(f"has no {key}")

    def entries(self):
        for key, value in self._of((dict,), "an object").items():
            yield key, _Node(value, f"{self.place}[{json.dumps(key)}]")

    def items(self):
        return [_Node(v, f"{self.place}[{i}]") for i, v in enumerate(self._of((list,), "a list"))]

    def text(self):
        return self._of((str,), "a text")

    def texts(self):
        return tuple(item.text() for item in self.items())

    def truth(self):
        return self._of((bool,), "true or false")

    def number(self):
        value = self._of((int, float), "a number")
        return value if abs(value) < math.inf else self.wrong("should be a finite number")

    def whole(self, least, most=LONGEST_SIDE):
        value = self._of((int,), "a whole number")
        return value if least <= value <= most else self.wrong(f"is {value}, not from {least} to {most}")

    def several(self, count, of):
        items = self.items()
        if len(items) != count:
            self.wrong(f"should have {count} numbers")
        return tuple(of(item) for item in items)


def _file(node):
    file = node.text()
    if any(c in file for c in "\\:\0") or any(part in ("", ".", "..") for part in file.split("/")):
        node.wrong("is not a relative path below the descriptor's folder")
    return file


def _page(node):
    def layer(of):
        return Layer(_file(of.get("file")), *(of.get(key).text() for key in ("pixels", "alpha", "colour")))

    layers, sampling = node.find("layers"), node.get("sampling")
    safe = sampling.find("safe_mips")
    return Page(_file(node.get("file")), node.get("width").whole(1), node.get("height").whole(1), node.get("pixels").text(),
                node.get("alpha").text(), node.get("colour").text(), sampling.get("filter").text(), sampling.get("wrap").text(),
                sampling.get("mips").whole(1, 32), safe and safe.whole(-1), node.get("hash").text(),
                {name: layer(of) for name, of in layers.entries()} if layers else {})


def _is_right(of, sizes):
    """Whether a sprite is plainly right, in one go: most are. `_sprite` looks closer at others."""
    try:
        x, y, w, h = of["box"]
        (canvas_w, canvas_h), (inset_x, inset_y), (pivot_x, pivot_y) = of["canvas"], of["inset"], of["pivot"]
        page, turned = of["page"], of["turned"]
        wide, high = (h, w) if turned else (w, h)
        return (
            len(of) < 9 and "points" not in of and "stretch" not in of and "tags" not in of
            and type(page) is int and page >= 0 and (turned is True or turned is False)
            and {type(x), type(y), type(w), type(h), type(canvas_w), type(canvas_h), type(inset_x), type(inset_y)} == _INT
            and {type(pivot_x), type(pivot_y)} <= _NUMBERS and abs(pivot_x) < math.inf and abs(pivot_y) < math.inf
            and x >= 0 and y >= 0 and w > 0 and h > 0 and x + w <= sizes[page][0] and y + h <= sizes[page][1]
            and inset_x >= 0 and inset_y >= 0 and inset_x + wide <= canvas_w <= LONGEST_SIDE
            and inset_y + high <= canvas_h <= LONGEST_SIDE
        )
    except (KeyError, TypeError, ValueError, IndexError):
        return False


_INT, _NUMBERS = {int}, {int, float}


def _sprite(name, node, pages):
    def side(item):
        return item.whole(0)

    def point(item):
        return item.several(2, _Node.number)

    page = node.get("page").whole(0)
    if page >= len(pages):
        node.get("page").wrong(f"is {page}, there are {len(pages)} pages")
    size = (pages[page].width, pages[page].height)
    x, y, w, h = box = node.get("box").several(4, side)
    if w < 1 or h < 1 or x + w > size[0] or y + h > size[1]:
        node.get("box").wrong(f"does not lie on its page of {size[0]} x {size[1]} pixels")
    turned, canvas, inset = node.get("turned").truth(), node.get("canvas").several(2, side), node.get("inset").several(2, side)
    upright = (h, w) if turned else (w, h)
    if inset[0] + upright[0] > canvas[0] or inset[1] + upright[1] > canvas[1]:
        node.get("inset").wrong("puts the box beyond the canvas")
    points, stretch, tags, user = (node.find(key) for key in ("points", "stretch", "tags", "user"))
    bands = stretch and stretch.several(4, side)
    if bands and (bands[0] + bands[2] > canvas[0] or bands[1] + bands[3] > canvas[1]):
        stretch.wrong("has bands wider than the canvas")
    return Sprite(name, page, size, box, turned, canvas, inset, point(node.get("pivot")),
                  {key: point(of) for key, of in points.entries()} if points else {}, bands, tags.texts() if tags else (),
                  user and user.value)


def _rate(node):
    """A rate as written in the descriptor: a number of up to nine digits, or a ratio such as "60000/1001"."""
    value = node._of((int, float, str), "a number or a ratio")
    if isinstance(value, str):
        above, slash, below = value.partition("/")
        if not (slash and all(part.isascii() and part.isdigit() for part in (above, below)) and int(below) > 0):
            node.wrong("is not a ratio such as 60000/1001")
        rate = (int(above), int(below))
    else:
        node.number()
        places = next((k for k in range(10) if _rounded(value * 10**k) / 10**k == value), 0)
        rate = (_rounded(value * 10**places), 10**places)
    if not (0 <= rate[0] < 1 << 31 and rate[1] < 1 << 32 and (isinstance(value, str) or rate[0] / rate[1] == value)):
        node.wrong("is not a rate of up to nine digits")
    return Fraction(*rate)


def _rounded(value):
    """To the nearest whole number, halves up."""
    below = math.floor(value)
    return below + (value - below >= 0.5)


def _clip(name, node, sprites):
    mode = node.get("mode").text()
    if mode not in ("loop", "once", "bounce"):
        node.get("mode").wrong("is neither loop, once nor bounce")
    fps, steps, durations = node.find("fps"), [], []
    for step in node.get("steps").items():
        sprite, ms, events = step.get("sprite").text(), step.find("ms"), step.find("events")
        if sprite not in sprites and ":" not in sprite:
            step.get("sprite").wrong("is not a sprite of this atlas")
        if ms is None and fps is None:
            step.wrong("has no ms, and its clip has no fps")
        if ms is not None and not 0 <= ms.number() <= LONGEST_MS:
            ms.wrong("is not a duration")
        durations.append(None if ms is None else _rounded(ms.value * 1e6))
        steps.append(Step(sprite, events.texts() if events else ()))
    if not steps:
        node.get("steps").wrong("is empty")
    clip = Clip(name, mode, _rate(fps) if fps else Fraction(10), steps, durations)
    if clip._length == 0:
        node.get("steps").wrong("take no time, all together")
    return clip
