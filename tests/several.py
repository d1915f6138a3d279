"""A shop on several machines, on this one: a database, a redis-server (of Debian), a bucket (moto), and any number of
servers and sets of workers, each with a folder of its own. For tests and benchmarks."""

import contextlib
import logging
import os
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import boto3
import httpx
from moto.server import ThreadedMotoServer
from redis import Redis

from etiquette.server.mariadb import PrivateMariaDB
from tests.let_in import client_at, let_in
from tests.strangers import free_port

BUCKET = "works"


class Several:
    """What they share, and what was started of them."""

    def __init__(self, place: Path, stack: contextlib.ExitStack, seconds: float) -> None:
        self.place, self._stack, self._seconds = place, stack, seconds
        self.database = PrivateMariaDB(place / "mariadb", durable=False)
        self.database.start()
        stack.callback(self.database.stop)
        self.redis = self._redis_server()
        logging.getLogger("werkzeug").setLevel(logging.ERROR)  # else a line for every request
        moto = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
        moto.start()
        stack.callback(moto.stop)
        host, port = moto.get_host_and_port()
        keys = {"AWS_ACCESS_KEY_ID": "one", "AWS_SECRET_ACCESS_KEY": "two", "AWS_DEFAULT_REGION": "us-east-1"}
        self.bucket = boto3.client(
            "s3",
            endpoint_url=f"http://{host}:{port}",
            aws_access_key_id="one",
            aws_secret_access_key="two",
            region_name=keys["AWS_DEFAULT_REGION"],
        )
        self.bucket.create_bucket(Bucket=BUCKET)
        self._shared = {
            **keys,
            "AWS_ENDPOINT_URL": f"http://{host}:{port}",
            "ETIQUETTE_DATABASE_URL": self.database.url,
            "ETIQUETTE_BROKER": f"redis://127.0.0.1:{self.redis_port}/0",
            "ETIQUETTE_FILES": f"s3://{BUCKET}/shop",
        }
        self._key = ""

    def _redis_server(self) -> Redis:
        self.redis_port = free_port()
        command = ["redis-server", "--port", str(self.redis_port), "--bind", "127.0.0.1", "--save", "",
                   "--appendonly", "no", "--dir", str(self.place)]  # fmt: skip
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        self._stack.callback(server.wait)
        self._stack.callback(server.terminate)
        while True:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.redis_port), 1):
                return Redis(port=self.redis_port)
            assert server.poll() is None

    def _started(self, name: str, *command: str) -> "subprocess.Popen[str]":
        environment = {**os.environ, **self._shared, "ETIQUETTE_DATA": str(self.place / name)}
        process = subprocess.Popen(
            [sys.executable, "-m", "etiquette.cli", *command],
            stdout=subprocess.PIPE, text=True, env=environment, start_new_session=True,
        )  # fmt: skip
        self._stack.callback(process.wait)
        self._stack.callback(process.terminate)
        return process

    def server(self, name: str) -> httpx.Client:
        """One more, signed in: the first by the owner's link, the others as the same person."""
        process = self._started(name, "serve", "--port", str(free_port()))
        assert process.stdout is not None
        printed = process.stdout.readline()
        if not self._key:
            client = let_in(printed, self._seconds)
            (self._key,) = dict(client.cookies).values()
            return client
        url = printed.strip().rstrip("/")
        return client_at(url, {f"etiquette_{url.rpartition(':')[2]}": self._key}, self._seconds)

    def workers(self, name: str, computing: int = 1, devices: bool = False) -> "subprocess.Popen[str]":
        """One more set of workers."""
        return self._started(name, "work", "--computing", str(computing), "--devices" if devices else "--no-devices")

    def kill(self, name: str) -> None:
        """Everything that works on this folder, at once, as when a machine is lost."""
        folder = str(self.place / name).encode() + b"\0"
        for entry in Path("/proc").iterdir():
            with contextlib.suppress(OSError, ValueError):
                if b"ETIQUETTE_DATA=" + folder in (entry / "environ").read_bytes() and int(entry.name) != os.getpid():
                    os.kill(int(entry.name), signal.SIGKILL)


@contextlib.contextmanager
def several(place: Path, seconds: float) -> Iterator[Several]:
    with contextlib.ExitStack() as stack:
        yield Several(place, stack, seconds)
