"""Coming in to an Etiquette that was just started, by what it printed: for tests and benchmarks of whole programs."""

import ssl
from urllib.parse import urlsplit

import httpx

OWNER = {"name": "Oriel", "password": "thistle ferry 41 lantern"}
NO_CERTIFICATES = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
"""For clients on the loopback: to load the authorities of the world for each takes ten times as long as an answer."""


def client_at(url: str, cookies: dict[str, str], seconds: float) -> httpx.Client:
    """Asks as a page of it would."""
    return httpx.Client(base_url=url, headers={"Origin": url}, cookies=cookies, timeout=seconds, verify=NO_CERTIFICATES)


def let_in(printed: str, seconds: float = 120) -> httpx.Client:
    """Opens the link that was `printed`, as the demo's operator or the first owner; without one the owner of an earlier
    start signs in."""
    url, _, key = printed.strip().rstrip("/").partition("/enter#")
    with client_at(url, {}, seconds) as door:
        if key:
            opens = door.post("/api/people/link", json={"key": key}).json()["opens"]
            owner = OWNER if opens == "owner" else {}
            door.post("/api/people/enter", json={"key": key, **owner}).raise_for_status()
        else:
            door.post("/api/people/sign-in", json=OWNER).raise_for_status()
        return client_at(url, dict(door.cookies), seconds)


def cookies_for(client: httpx.Client) -> list[dict[str, str]]:
    """The same for a browser's context."""
    at = urlsplit(str(client.base_url)).hostname or ""
    return [{"name": name, "value": key, "domain": at, "path": "/"} for name, key in client.cookies.items()]
