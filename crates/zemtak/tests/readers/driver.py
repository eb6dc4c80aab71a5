"""Answers a list of questions with the reader for Python."""

import sys

import zemtak_reader


def tell_quad(quad):
    flat = [v for corner in quad.positions + quad.uvs for v in corner]
    return " ".join(repr(v) for v in flat) + " " + " ".join(str(i) for i in quad.indices)


def placement(v):
    return dict(x=v[0], y=v[1], scale=(v[2], v[3]), degrees=v[4], y_up=bool(v[5]), v_up=bool(v[6]), shrink=v[7])


def tell_page(p):
    safe = "none" if p.safe_mips is None else p.safe_mips
    values = [p.file, p.width, p.height, p.pixels, p.alpha, p.colour, p.filter, p.wrap, p.mips, safe, p.hash]
    layers = [[name, layer.file, layer.pixels, layer.alpha, layer.colour] for name, layer in p.layers.items()]
    return "\t".join(" ".join(str(value) for value in words) for words in [values, *layers])


def tell_sprite(s):
    bands = s.stretch or (0, 0, 0, 0)
    numbers = [s.page, *s.box, int(s.turned), *s.canvas, *s.inset, *(repr(float(v)) for v in s.pivot), *bands]
    parts = [" ".join(str(n) for n in numbers)]
    parts += [f"{name}={float(x)!r},{float(y)!r}" for name, (x, y) in s.points.items()]
    return "\t".join(parts + ["#" + tag for tag in s.tags])


def answer(atlas, kind, name, numbers):
    if kind == "atlas":
        return f"{atlas.name} {atlas.build_id or 'none'} {atlas.base or 'none'} {atlas.scale}"
    if kind == "page":
        return tell_page(atlas.pages[int(numbers)])
    if kind == "clip":
        clip = atlas.clips[name]
        mode = ["loop", "once", "bounce"].index(clip.mode)
        return "\t".join([str(mode)] + ["!".join((step.sprite,) + step.events) for step in clip.steps])
    if kind == "at":
        shown = atlas.clips[name].at(int(numbers))
        return f"{shown.step} {shown.played} {int(shown.ended)}"
    if kind == "play":
        start, *times = [int(n) for n in numbers.split()]
        player, out = zemtak_reader.Player(atlas.clips[name], start), ""
        for time in times:
            out += "".join(step.sprite + ";" for step in player.advance(time))
            out += f"|{player.step.sprite} {player.played} {int(player.ended)}\t"
        return out
    sprite, v = atlas.sprites[name], [float(n) for n in numbers.split()]
    if kind == "sprite":
        return tell_sprite(sprite)
    if kind == "uv":
        corners = sprite.uvs(flip_x=bool(v[0]), flip_y=bool(v[1]), v_up=bool(v[2]), shrink=v[3])
        return " ".join(repr(t) for corner in corners for t in corner)
    if kind == "part":
        part = sprite.part(*(int(n) for n in v))
        return tell_quad(part.quad(5, 7)) if part else "none"
    if kind == "quad":
        return tell_quad(sprite.quad(**placement(v)))
    quads = sprite.stretched(v[0], v[1], tiled=bool(v[2]), **placement(v[3:]))
    return "".join(tell_quad(quad) + "\t" for quad in quads)


def main(words):
    if words[0] == "--check":
        for path in words[1:]:
            try:
                zemtak_reader.load(path)
                print("ok")
            except zemtak_reader.ReadError as error:
                print(str(error).replace("\n", " "))
        return
    atlas = zemtak_reader.load(words[0])
    with open(words[1], encoding="utf-8") as questions:
        for line in questions:
            print(answer(atlas, *line.rstrip("\n").split("\t")))


main(sys.argv[1:])
