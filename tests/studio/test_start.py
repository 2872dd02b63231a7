"""`./yard demo` and `./yard stop` as a person uses them."""

import json
import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path

from tests.stand import PATIENCE
from yardchalk.host.cluster import Cluster, free_port
from yardchalk.host.settings import ROOT


class StartTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.state = Path(folder.name)
        self.addCleanup(lambda: Cluster(self.state, "demo").remove())

    def yard(self, *arguments: str) -> subprocess.Popen[str]:
        process = subprocess.Popen(
            [sys.executable, "-m", "yardchalk.cli", *arguments], cwd=ROOT, env={**os.environ, "YARD_STATE": str(self.state)},
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        )  # fmt: skip
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def address(self, process: subprocess.Popen[str]) -> tuple[str, str]:
        """The address that it prints, and all before it."""
        said = ""
        assert process.stdout is not None
        for line in process.stdout:
            said += line
            found = re.search(r"Yard Chalk is at (http://127\.0\.0\.1:\d+)", line)
            if found:
                return found[1], said
        self.fail(said)

    def test_start_with_a_taken_port_and_again_while_it_runs_once_ended_once_killed_and_stopped(self) -> None:
        first = free_port(9320)
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", first))
            taken.listen()
            process = self.yard("demo", "--port", str(first))
            address, said = self.address(process)
        self.assertIn(f"Port {first} is taken", said)
        with urllib.request.urlopen(f"{address}/api/lots", timeout=PATIENCE) as answer:
            lots = json.load(answer)
        self.assertEqual({lot["name"]: lot["photos"] for lot in lots}, {"Autumn kitchen": 12, "Shop sign and prints": 2})
        again = self.yard("demo", "--port", str(first))
        self.assertIn(f"runs already: {address}", again.communicate(timeout=PATIENCE)[0])
        children = self.children(process)
        self.assertGreaterEqual(len(children), 2)
        process.send_signal(signal.SIGINT)
        self.assertEqual(process.wait(PATIENCE), 0)
        self.assert_gone(children)
        # And again where it is killed without a chance to tidy up.
        process = self.yard("demo", "--port", str(first))
        self.address(process)
        children = self.children(process)
        process.kill()
        process.wait()
        self.assert_gone(children)
        process = self.yard("demo", "--port", str(first))
        address, _ = self.address(process)
        with urllib.request.urlopen(f"{address}/api/lots", timeout=PATIENCE) as answer:
            self.assertEqual(len(json.load(answer)), 2, "loaded once")
        stop = self.yard("stop")
        self.assertIn("Stopped", stop.communicate(timeout=PATIENCE)[0])
        self.assertEqual(process.wait(PATIENCE), 0)

    def children(self, process: subprocess.Popen[str]) -> list[int]:
        return [int(pid) for pid in Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()]

    def assert_gone(self, pids: list[int]) -> None:
        until = time.monotonic() + PATIENCE
        while time.monotonic() < until and any(Path(f"/proc/{pid}").exists() for pid in pids):
            time.sleep(0.1)
        self.assertEqual([pid for pid in pids if Path(f"/proc/{pid}").exists()], [])
