"""Who may import whom, what is left behind where it runs, and that generated files are current."""

import ast
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tools.generate import generated
from yardchalk.core.checks import BESIDE_OTHERS, REGISTRY
from yardchalk.host.settings import ROOT

ALLOWED = {
    "core": {"core"},
    "store": {"store", "core"},
    "studio": {"studio", "store", "core"},
    "jobs": {"jobs", "studio", "core", "host"},
    "standins": {"standins"},
    "web": {"web", "jobs", "studio", "core", "host"},
}
# Where things are comes from host.settings; the store's file addresses are handed on to the render processes.
EXCEPTIONS = {("web", "store"): {"renderers"}, ("jobs", "store"): set()}
FOREIGN_TO_CORE = {"fastapi", "starlette", "psycopg", "procrastinate", "uvicorn", "fsspec", "rich"}


class HouseTest(unittest.TestCase):
    def test_imports_go_one_way(self) -> None:
        wrong = []
        for part, allowed in ALLOWED.items():
            for path in (ROOT / "yardchalk" / part).rglob("*.py"):
                for node in ast.walk(ast.parse(path.read_text())):
                    names = (
                        [node.module]
                        if isinstance(node, ast.ImportFrom)
                        else [a.name for a in node.names]
                        if isinstance(node, ast.Import)
                        else []
                    )
                    for name in filter(None, names):
                        if name.startswith("yardchalk."):
                            other = name.split(".")[1]
                            if other not in allowed and path.stem not in EXCEPTIONS.get((part, other), set()):
                                wrong.append(f"{path.relative_to(ROOT)} imports {name}")
                        elif part == "core" and name.split(".")[0] in FOREIGN_TO_CORE:
                            wrong.append(f"{path.relative_to(ROOT)} imports {name}")
        self.assertEqual(wrong, [])

    def test_a_run_leaves_nothing_in_the_users_folder(self) -> None:
        """Neither we nor a library keeps or reports who runs what."""
        photo = ROOT / "demo" / "photos" / "PW-1061_teacup-icon.jpg"
        with tempfile.TemporaryDirectory() as home, tempfile.TemporaryDirectory() as out:
            kept = {name: value for name, value in os.environ.items() if not name.startswith(("XDG_", "ORT_"))}
            subprocess.run(
                [sys.executable, "-m", "yardchalk.cli", "run", str(photo), "--sheet", "white", "--spec", "square-2000", "--out", out],
                cwd=ROOT, env={**kept, "HOME": home}, check=True, capture_output=True,
            )  # fmt: skip
            self.assertEqual([path.name for path in Path(out).iterdir()], ["PW-1061_teacup-icon.jpg"])
            self.assertEqual([str(path) for path in Path(home).rglob("*")], [])

    def test_every_check_has_a_name_on_the_page(self) -> None:
        names = (ROOT / "page" / "src" / "shared" / "marks.tsx").read_text().partition("checkNames")[2]
        for check in (*REGISTRY, *BESIDE_OTHERS):
            self.assertRegex(names, rf"\b'?{check}'?: '", check)

    def test_generated_files_are_current(self) -> None:
        for path, text in generated().items():
            self.assertEqual(path.read_text(), text, f"{path.name} is out of date; run ./yard generate")
