"""Reached from other machines: with TLS and an owner only, by the names it was given, or through a proxy."""

import json
import os
import ssl
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import httpx
import pyotp
import pytest
from starlette.testclient import TestClient

from etiquette.server.app import create_app
from etiquette.settings import Network, Settings
from etiquette.stations.shop import Shop
from tests.conftest import PATIENCE
from tests.let_in import OWNER


def serve(data: Path, *options: str) -> subprocess.Popen[str]:
    environment = {**os.environ, "ETIQUETTE_DATA": str(data)}
    environment.pop("PYTHONPATH", None)
    return subprocess.Popen(
        [sys.executable, "-m", "etiquette.cli", "serve", "--port", "0", *options],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environment,
    )  # fmt: skip


@pytest.fixture(scope="module")
def certificate(tmp_path_factory: pytest.TempPathFactory) -> tuple[str, str]:
    """A certificate of our own for press.example, as openssl makes it."""
    folder = tmp_path_factory.mktemp("tls")
    key, made = str(folder / "key.pem"), str(folder / "certificate.pem")
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:P-256", "-nodes", "-days", "2",
         "-subj", "/CN=press.example", "-addext", "subjectAltName=DNS:press.example,IP:127.0.0.1",
         "-keyout", key, "-out", made],
        check=True, capture_output=True,
    )  # fmt: skip
    return made, key


def make_owner(data: Path, password: str) -> dict[str, Any]:
    """By `etiquette owner`, before anything was started."""
    environment = {**os.environ, "ETIQUETTE_DATA": str(data)}
    command = [sys.executable, "-m", "etiquette.cli", "owner", OWNER["name"]]
    done = subprocess.run(command, input=f"{password}\n", env=environment, capture_output=True, text=True, check=False)
    told: dict[str, Any] = json.loads(done.stdout)
    assert (done.returncode == 0) == ("error" not in told)
    return told


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (["--host", "0.0.0.0"], "speaks TLS only"),
        (["--host", "0.0.0.0", "--certificate", "/no/such.pem"], "go together"),
        (["--host", "0.0.0.0", "--certificate", "/no/such.pem", "--key", "/no/such.key"], "cannot be read"),
    ],
)
def test_without_tls_nothing_is_started(tmp_path: Path, options: list[str], words: str) -> None:
    said = serve(tmp_path / "data", *options)
    assert said.wait(PATIENCE) == 2
    assert said.stderr is not None and words in said.stderr.read()
    assert not (tmp_path / "data" / "mariadb").exists()


def test_with_tls_and_an_owner_it_answers_to_its_names_alone(tmp_path: Path, certificate: tuple[str, str]) -> None:
    data = tmp_path / "data"
    tls = ["--certificate", certificate[0], "--key", certificate[1]]
    early = serve(data, "--host", "0.0.0.0", *tls, "--names", "press.example")
    assert early.wait(PATIENCE) == 1
    assert early.stderr is not None and "Nobody has an account yet" in early.stderr.read()
    assert "has 5" in make_owner(data, "short")["error"]["what"]
    assert make_owner(data, OWNER["password"]) == {"owner": OWNER["name"]}
    assert "has an owner" in make_owner(data, OWNER["password"])["error"]["what"]
    running = serve(data, "--host", "0.0.0.0", *tls, "--names", "press.example")
    try:
        assert running.stdout is not None
        address = running.stdout.readline().strip()
        assert address.startswith("https://press.example:") and "/enter" not in address
        port = address.rstrip("/").rsplit(":", 1)[1]
        trusted = ssl.create_default_context(cafile=certificate[0])
        here, names = f"https://127.0.0.1:{port}", {"Host": f"press.example:{port}"}
        with httpx.Client(base_url=here, verify=trusted, timeout=PATIENCE) as client:
            page = client.get("/", headers=names)
            assert page.status_code == 200 and page.headers["strict-transport-security"] == "max-age=31536000"
            assert client.get("/", headers={"Host": f"other.example:{port}"}).status_code == 403
            origin = {**names, "Origin": f"https://press.example:{port}"}
            entered = client.post("/api/people/sign-in", json=OWNER, headers=origin)
            assert entered.status_code == 204 and entered.headers["set-cookie"].startswith("__Host-etiquette=")
            key = entered.cookies["__Host-etiquette"]
            signed = {**origin, "Cookie": f"__Host-etiquette={key}"}
            assert client.get("/api/people/me", headers=signed).json()["must_second"] is True
            assert client.get("/api/runs", headers=signed).status_code == 403  # nothing before the second step
            secret = client.post("/api/people/me/second", headers=signed).json()["secret"]
            told = {"secret": secret, "code": pyotp.TOTP(secret).now(), "password": OWNER["password"]}
            kept = client.put("/api/people/me/second", json=told, headers=signed).raise_for_status().json()
            assert kept["owns"] and "PREPARE" in kept["rights"]  # what the page shows from now on
            assert client.get("/api/runs", headers=signed).status_code == 200
            plain = {**origin, "Cookie": f"etiquette_{port}={key}"}
            assert client.get("/api/people/me", headers=plain).status_code == 401
        with pytest.raises(httpx.HTTPError):
            httpx.get(f"http://127.0.0.1:{port}/", timeout=PATIENCE)
    finally:
        running.terminate()
        running.wait(PATIENCE)


def test_behind_a_proxy_only_what_came_encrypted_is_answered(shop: Shop) -> None:
    settings = Settings(shop.settings.data, None, Network("127.0.0.1", ("press.example",), proxy="127.0.0.1"))
    assert settings.network.off_loopback  # the proxy stands here too, and lets others in
    app = create_app(replace(shop, settings=settings))
    plain = TestClient(app, base_url="http://press.example")
    assert plain.get("/api/people/start").status_code == 403
    encrypted = TestClient(app, base_url="https://press.example")
    assert encrypted.get("/api/people/start").status_code == 200
    assert encrypted.get("/api/people/start", headers={"Host": "0.0.0.0"}).status_code == 403
    assert TestClient(app, base_url="http://127.0.0.1").get("/api/people/start").status_code == 403
    assert encrypted.get("/api/people/start", headers={"Host": "PRESS.example"}).status_code == 200
