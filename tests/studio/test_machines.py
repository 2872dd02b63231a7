"""More machines: workers on two hosts, one database, one file store, in a folder or as objects; the same bytes as on one."""

import os
import subprocess
import sys
import time
from dataclasses import replace
from unittest import mock

import boto3  # type: ignore[import-untyped]
from botocore.exceptions import EndpointConnectionError  # type: ignore[import-untyped]

from tests.stand import PATIENCE, StudioCase, small_photos
from yardchalk.host.cluster import free_port
from yardchalk.host.settings import Place
from yardchalk.jobs.queue import RunQueue
from yardchalk.studio.context import Studio
from yardchalk.studio.running import ask_runs
from yardchalk.studio.sweeping import sweep

FILES = small_photos(4)


class MachinesTest(StudioCase):
    def hosts(self, count: int, **environment: str) -> None:
        """Worker processes as on so many machines: each a process group of its own, with its own scratch folder and no deliveries."""
        for number in range(count):
            scratch = self.scratch / f"host-{number}"
            scratch.mkdir(exist_ok=True)
            own = {"TMPDIR": str(scratch), "YARD_DELIVERIES": str(scratch / "none"), "YARD_QUEUES": "run"}
            self.worker(**environment, **own)

    def setUp(self) -> None:
        """What one machine makes of them."""
        lot_id, _ = self.lot(FILES)
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        self.alone = [row["result"] for row in self.rows(lot_id)]

    def test_the_same_folder(self) -> None:
        self.hosts(2)
        lot_id, _ = self.lot(FILES)
        ask_runs(self.studio, lot_id)
        rows = self.wait_until(lot_id, {"done"})
        self.assertEqual([row["result"] for row in rows], self.alone)

    def test_an_object_store(self) -> None:
        port = free_port(9520)
        server = subprocess.Popen(
            [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", str(port)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        address = f"http://127.0.0.1:{port}"
        keys = {
            "FSSPEC_S3_ENDPOINT_URL": address,
            "FSSPEC_S3_KEY": "key",
            "FSSPEC_S3_SECRET": "secret",
            "AWS_DEFAULT_REGION": "us-east-1",
            "AWS_ACCESS_KEY_ID": "key",
            "AWS_SECRET_ACCESS_KEY": "secret",
        }
        with mock.patch.dict(os.environ, keys):
            self._bucket(address)
            from fsspec.config import conf, set_conf_env

            set_conf_env(conf)
            self.addCleanup(conf.pop, "s3", None)
            place = replace(self.place, files_url="s3://yard/files")
            self._run_there(place)

    def _bucket(self, address: str) -> None:
        client = boto3.client("s3", endpoint_url=address)
        until = time.monotonic() + PATIENCE
        while True:
            try:
                client.create_bucket(Bucket="yard")
                return
            except EndpointConnectionError:
                self.assertLess(time.monotonic(), until, "the store does not answer")
                time.sleep(0.2)

    def _run_there(self, place: Place) -> None:
        queue = RunQueue(place.database_url)
        there = Studio.opened(place.database_url, place.files_url, place.deliveries, queue, connections=2)
        self.addCleanup(there.close)
        with mock.patch.object(type(self), "studio", there):
            lot_id, _ = self.lot(FILES)
            ask_runs(there, lot_id)
            self.hosts(2, YARD_FILES_URL=place.files_url)
            rows = self.wait_until(lot_id, {"done"})
            self.assertEqual([row["result"] for row in rows], self.alone)
            self.assertEqual(there.files.put(there.files.get(self.alone[0])), self.alone[0])
            orphan = there.files.put(b"nobody's")
            time.sleep(1.1)  # the store counts in whole seconds
            self.assertEqual(sweep(there, older_s=0), 1)
            with self.assertRaises(FileNotFoundError):
                there.files.get(orphan)
            delivery = self.delivered_here(lot_id, "ready", "look", "fix")
            self.assertEqual(delivery["state"], "done")
