"""`./yard run` as a process: files, report, exit codes."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np

from tests.pictures import Scene, iou
from tests.stand import PATIENCE, small_photos
from yardchalk.host.settings import ROOT


def run(*arguments: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "yardchalk.cli", "run", *arguments]
    return subprocess.run(command, cwd=ROOT, capture_output=True, text=True, timeout=2 * PATIENCE)


class CommandLineTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.photos = self.folder / "photos"
        (self.photos / "below").mkdir(parents=True)
        for name, data in small_photos(3).items():
            (self.photos / name).write_bytes(data)

    def test_a_folder_with_a_broken_file_one_of_another_format_and_one_without_an_ending(self) -> None:
        # As an old disk has it: no UTF-8.
        (self.photos / "below" / os.fsdecode(b"cut_\xe9tag\xe8re.jpg")).write_bytes((self.photos / "PW-9000_pot.jpg").read_bytes()[:9000])
        (self.photos / "PW-9000_pot.jpg").rename(self.photos / "PW-9000_pot")
        (self.photos / "below" / "PW-9.psd").write_bytes(b"8BPS\0\1")
        (self.photos / "list.txt").write_text("PW-9000")
        out = self.folder / "out"
        done = run(
            str(self.photos), "--sheet", "white", "--spec", "square-2000", "--out", str(out), "--report", str(self.folder / "r.json")
        )
        self.assertEqual(done.returncode, 1, done.stderr)
        report = json.loads((self.folder / "r.json").read_text())
        self.assertEqual(sorted(p.name for p in out.iterdir()), [f"PW-900{i}_pot.jpg" for i in range(3)])
        self.assertEqual(len(report["photos"]), 3)
        self.assertEqual([Path(refused["source"]).name for refused in report["refused"]], ["PW-9.psd", "cut_étagère.jpg"])
        self.assertIn("PW-9.psd: is not a JPEG", report["refused"][0]["reason"])
        self.assertIn("cut short", report["refused"][1]["reason"])
        for photo in report["photos"]:
            self.assertIn(photo["verdict"], ("ready", "look", "fix"))
            self.assertTrue(all({"check", "severity", "figure", "limit", "unit", "stage"} <= set(f) for f in photo["findings"]))

    def test_a_report_that_cannot_be_written_is_said_and_the_rest_is_kept(self) -> None:
        out, photo = self.folder / "out", self.photos / "PW-9000_pot.jpg"
        asked = ("--sheet", "white", "--spec", "square-2000", "--out", str(out), "--manifest")
        done = run(str(photo), *asked, "--report", str(photo / "r.json"))
        self.assertEqual(done.returncode, 1)
        self.assertIn("r.json: cannot be written", done.stderr)
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["PW-9000_pot.jpg", "manifest.csv", "manifest.json"])

    def test_workers_change_nothing_and_nothing_is_overwritten(self) -> None:
        results = []
        for workers in ("1", "2"):
            out = self.folder / workers
            done = run(str(self.photos), "--sheet", "white", "--spec", "square-2000", "--out", str(out), "--workers", workers)
            self.assertEqual(done.returncode, 0, done.stderr)
            results.append({p.name: p.read_bytes() for p in out.iterdir()})
        self.assertEqual(results[0], results[1])
        again = run(
            str(self.photos / "PW-9000_pot.jpg"), "--sheet", "transparent", "--spec", "square-2000", "--out", str(self.folder / "1")
        )
        self.assertIn(again.returncode, (0, 3))
        self.assertEqual((self.folder / "1" / "PW-9000_pot.jpg").read_bytes(), results[0]["PW-9000_pot.jpg"])
        self.assertTrue((self.folder / "1" / "PW-9000_pot-2.jpg").exists())

    def test_full_frame_and_matte_lie_on_the_photo(self) -> None:
        made = Scene(width=480, height=360).made()
        (self.folder / "pot.png").write_bytes(made.png)
        out = self.folder / "out"
        done = run(str(self.folder / "pot.png"), "--sheet", "transparent", "--spec", "cutout", "--out", str(out), "--full-frame", "--matte")
        self.assertEqual(done.returncode, 0, done.stderr)
        rgba, matte = (cv2.imread(str(out / name), cv2.IMREAD_UNCHANGED) for name in ("pot.png", "pot_matte.png"))
        assert rgba is not None and matte is not None
        self.assertEqual(rgba.shape, (360, 480, 4))
        self.assertEqual(matte.shape, (360, 480))
        self.assertGreater(iou(matte.astype(np.float32) / 255, made.alpha), 0.97)

    def test_a_marks_file_frames_and_tones_single_photos_and_a_wrong_one_is_refused_with_its_path(self) -> None:
        for name in ("a.png", "b.png"):
            (self.folder / name).write_bytes(Scene(width=480, height=360).made().png)
        marks = self.folder / "marks.json"
        asked = (
            "--sheet",
            "white",
            "--spec",
            "square-2000",
            "--full-frame",
            "--marks",
            str(marks),
            "--report",
            str(self.folder / "r.json"),
        )
        photos = (str(self.folder / "a.png"), str(self.folder / "b.png"))
        own = {"frame": {"turns": 1, "crop": [0, 0.1, 1, 0.9]}, "balance": {"temperature": 5000, "tint": 0}, "lift": {"white_point": 222}}
        own["mend"] = {
            "entries": [{"kind": "fill", "name": "A scratch", "area": {"shape": "stroke", "size": 0.05, "points": [[0.5, 0.5]]}}]
        }
        own["colour"] = {"recolour": "#204060"}
        marks.write_text(json.dumps({"b.png": own}))
        done = run(*photos, "--out", str(self.folder / "marked"), *asked)
        self.assertIn(done.returncode, (0, 3), done.stderr)
        pictures = [cv2.imread(str(self.folder / "marked" / name)) for name in ("a.jpg", "b.jpg")]
        sizes = [picture.shape[:2] for picture in pictures if picture is not None]
        self.assertEqual(sizes, [(360, 480), (384, 360)])
        assert pictures[1] is not None
        np.testing.assert_allclose(pictures[1][192, 180], [96, 64, 32], atol=2, err_msg="one colour for all, but for JPEG")
        rows = json.loads((self.folder / "r.json").read_text())["photos"]
        self.assertEqual([[mend["name"] for mend in row["mends"]] for row in rows], [[], ["A scratch"]])
        figures = [row["figures"] for row in rows]
        self.assertEqual(figures[1]["white point (level)"], 222)
        self.assertNotEqual(figures[0]["white point (level)"], 222)
        for wrong, words in (
            ({"b.png": {"lift": {"white_point": 300}}}, "b.png: lift.white_point: 300 is over 255"),
            ({"c.png": {}}, "c.png: is not among the photos"),
        ):
            marks.write_text(json.dumps(wrong))
            refused = run(*photos, "--out", str(self.folder / "no"), *asked)
            self.assertEqual(refused.returncode, 2)
            self.assertIn(words, refused.stderr)

    def test_wrong_usage(self) -> None:
        for arguments, words in (
            (("nothere.jpg", "--sheet", "white", "--spec", "cutout", "--out", "o"), "nothere.jpg"),
            ((str(self.photos), "--sheet", "purple", "--spec", "cutout", "--out", "o"), "purple"),
            ((str(self.photos), "--sheet", "white", "--out", "o"), "--spec"),
        ):
            done = run(*arguments)
            self.assertEqual(done.returncode, 2)
            self.assertIn(words, done.stderr)
