"""The wheel, as it is installed: python -m unittest test_wheel."""

import json
import struct
import tempfile
import unittest
import zlib
from pathlib import Path

import zemtak


def png(width, height, colour):
    """A picture of one colour, by hand."""

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = b"".join(b"\0" + bytes(colour) * width for _ in range(height))
    header = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


class Wheel(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        for n in range(4):
            file = self.folder / f"art/moth/fly/{n}.png"
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_bytes(png(20 + n, 10, (200, 40 * n, 20, 255)))

    def pack(self, **more):
        return zemtak.pack(self.folder / "art", out=self.folder / "build", name="night", **more)

    def test_packs_proves_and_reads(self):
        packed = self.pack(gutter=4, page={"max": [256, 256]})
        self.assertEqual([(a["name"], a["sprites"]) for a in packed.atlases], [("night", 4)])
        descriptor = self.folder / "build/night.zemtak.json"
        self.assertEqual([Path(d) for d in packed.descriptors], [descriptor])
        self.assertEqual(json.loads(descriptor.read_text())["built"]["gutter"], 4)
        self.assertEqual(zemtak.verify(descriptor, against=self.folder / "art"), [])
        atlas = zemtak.load(descriptor)
        sprite, pixels = atlas.sprites["moth/fly/2"], zemtak.page(descriptor, 0)
        x, y, w, h = sprite.box
        self.assertEqual((w, h), (22, 10))
        try:
            self.assertTrue((pixels[y : y + h, x : x + w] == [200, 80, 20, 255]).all())
        except TypeError:  # without numpy
            width, _, data = pixels
            self.assertEqual(data[(y * width + x) * 4 :][:4], bytes([200, 80, 20, 255]))
        self.assertEqual([step.sprite for step in zemtak.Player(atlas.clips["moth/fly"]).advance(150_000_000)], ["moth/fly/1"])
        # Nothing is built twice.
        self.assertEqual(self.pack(gutter=4, page={"max": [256, 256]}).atlases[0]["state"], "unchanged")

    def test_what_is_damaged_is_found(self):
        self.pack()
        source = self.folder / "art/moth/fly/0.png"
        source.write_bytes(png(20, 10, (1, 2, 3, 255)))
        found = zemtak.verify(self.folder / "build/night.zemtak.json", against=self.folder / "art")
        self.assertEqual([defect["code"] for defect in found], ["other_pixels"])

    def test_layers_are_held_too(self):
        for n in range(4):
            (self.folder / f"art/moth/fly/{n}_n.png").write_bytes(png(20 + n, 10, (128, 128, 255, 255)))
        self.pack(rule=[{"match": "**", "layers": {"normal": "{name}_n"}}])
        descriptor = self.folder / "build/night.zemtak.json"
        self.assertEqual(zemtak.verify(descriptor), [])
        (layer,) = (self.folder / "build").glob("*.normal.png")
        layer.write_bytes(layer.read_bytes()[:-20])
        self.assertEqual([defect["code"] for defect in zemtak.verify(descriptor)], ["wrong_page"])

    def test_layers_are_compared_with_the_images_that_the_project_tells(self):
        for n in range(4):
            (self.folder / f"art/moth/fly/{n}_n.png").write_bytes(png(20 + n, 10, (128, 128, 255, 255)))
        project = self.folder / "zemtak.toml"
        project.write_text(
            'format = 1\n[atlas.night]\nroot = "art"\nmip_levels = 1\n'
            '[[atlas.night.rule]]\nmatch = "**"\nlayers = { normal = "{name}_n" }\n'
        )
        zemtak.pack(project=project, out=self.folder / "build")
        asked = dict(descriptor=self.folder / "build/night.zemtak.json", against=self.folder / "art", project=project)
        self.assertEqual(zemtak.verify(**asked, mips=1), [])
        (self.folder / "art/moth/fly/2_n.png").write_bytes(png(22, 10, (100, 128, 255, 255)))
        (defect,) = zemtak.verify(**asked)
        self.assertEqual((defect["code"], defect["about"]), ("other_pixels", "moth/fly/2"))
        self.assertIn("layer normal", defect["text"])

    def test_problems_come_all_at_once(self):
        for n in range(2):
            (self.folder / f"art/bad{n}.png").write_bytes(b"no picture")
        with self.assertRaises(zemtak.Error) as caught:
            self.pack()
        self.assertEqual(len(caught.exception.problems), 2)
        self.assertIn("bad1.png", str(caught.exception))
        with self.assertRaises(zemtak.Error) as caught:
            self.pack(guter=4)
        self.assertIn("gutter", caught.exception.problems[0]["why"])

    def test_progress_tells_stops_and_raises(self):
        told = []
        self.pack(progress=lambda *step: told.append(step))
        self.assertIn(("reading", 4, 4), told)
        with self.assertRaises(zemtak.Stopped):
            self.pack(fresh=True, progress=lambda *step: False)
        with self.assertRaises(ZeroDivisionError):
            self.pack(fresh=True, progress=lambda *step: 1 / 0)

    def test_a_project_is_checked_and_built(self):
        project = self.folder / "zemtak.toml"
        project.write_text('format = 1\n[atlas.night]\nroot = "art"\n[[atlas.night.rule]]\nmatch = "gone/**"\ntags = ["x"]\n')
        self.assertEqual(zemtak.pack(project=project, check=True).atlases[0]["state"], "out_of_date")
        self.assertFalse((self.folder / "build").exists())
        packed = zemtak.pack(project=project)
        self.assertEqual((packed.atlases[0]["state"], len(packed.warnings)), ("built", 1))
        self.assertIn("gone/**", packed.warnings[0])
        self.assertNotIn("warnings", packed.atlases[0])
        self.assertEqual(sorted(Path(file).name for file in packed.inputs), ["art", "zemtak.toml"])
        self.assertEqual(zemtak.pack(project=project, check=True).atlases[0]["state"], "unchanged")
        self.assertEqual(zemtak.pack(project=project, fresh=True).atlases[0]["state"], "unchanged")
        with self.assertRaisesRegex(zemtak.Error, "options are for paths"):
            zemtak.pack(project=project, gutter=3)

    def test_names_may_start_at_another_root(self):
        zemtak.pack(self.folder / "art/moth", out=self.folder / "build", name="night", root=self.folder / "art")
        atlas = zemtak.load(self.folder / "build/night.zemtak.json")
        self.assertEqual(sorted(atlas.sprites), [f"moth/fly/{n}" for n in range(4)])

    def test_what_is_not_there_is_told(self):
        self.pack()
        descriptor = self.folder / "build/night.zemtak.json"
        for index in (1, -1):
            with self.assertRaises(zemtak.Error):
                zemtak.page(descriptor, index)
        for missing in (lambda f: zemtak.page(f, 0), zemtak.verify):
            with self.assertRaisesRegex(zemtak.Error, "^unusable descriptor: cannot read .*nobody"):
                missing(self.folder / "nobody")
        with self.assertRaises(zemtak.Error) as caught:
            zemtak.scan(self.folder / "art", self.folder / "nobody")
        self.assertEqual([problem["why"] for problem in caught.exception.problems], ["no such file or folder"])
        (self.folder / "latin.zemtak.json").write_bytes(b'{"name": "fl\xfcgel"}')
        with self.assertRaises(zemtak.ReadError):
            zemtak.load(self.folder / "latin.zemtak.json")

    def test_scan(self):
        seen = zemtak.scan(self.folder / "art")
        self.assertEqual(sorted(s["sprite"] for s in seen["sprites"]), [f"moth/fly/{n}" for n in range(4)])
        self.assertEqual(seen["formats"], {"PNG": 4})


if __name__ == "__main__":
    unittest.main()
