"""Files in a bucket: a server of the same protocol that nobody here wrote (moto), and two machines without a disk in
common."""

import os
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import boto3
import pytest
import s3fs
from moto.server import ThreadedMotoServer

from etiquette.core.errors import NotThere
from etiquette.stations.collecting import FILES_GRACE, collect
from etiquette.stations.shop import Shop
from etiquette.store import backups, checking
from etiquette.store.blobs import Blobs, files_of
from etiquette.store.bucket import BucketBlobs
from etiquette.store.models import now


@pytest.fixture(scope="module")
def bucket() -> Iterator[str]:
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    told = {
        "AWS_ENDPOINT_URL": f"http://{host}:{port}",
        "AWS_ACCESS_KEY_ID": "one",
        "AWS_SECRET_ACCESS_KEY": "two",
        "AWS_DEFAULT_REGION": "us-east-1",
    }
    before = {name: os.environ.get(name) for name in told}
    os.environ.update(told)
    boto3.client("s3").create_bucket(Bucket="works")
    s3fs.S3FileSystem.clear_instance_cache()  # one of these tests may have been here before, with another server
    yield "s3://works/etiquette"
    server.stop()
    for name, value in before.items():
        os.environ.pop(name) if value is None else os.environ.update({name: value})


@pytest.fixture
def machines(bucket: str, tmp_path: Path) -> tuple[BucketBlobs, BucketBlobs]:
    for one in boto3.resource("s3").Bucket("works").objects.all():
        one.delete()
    made = [files_of(tmp_path / name, bucket) for name in ("one", "other")]
    assert all(isinstance(one, BucketBlobs) for one in made)
    return made[0], made[1]  # type: ignore[return-value]


def put(shop: Shop, blobs: Blobs, content: bytes) -> str:
    return shop.database.within(lambda session: blobs.put(session, content, "text/plain"))


def test_what_one_machine_put_the_other_reads(shop: Shop, machines: tuple[BucketBlobs, BucketBlobs]) -> None:
    one, other = machines
    sha = put(shop, one, b"art")
    assert other.read(sha) == b"art" and other.path(sha).is_relative_to(other.place(sha).parents[1])
    held = boto3.client("s3").get_object(Bucket="works", Key=f"etiquette/{sha[:2]}/{sha}")
    assert held["Body"].read() == b"art"  # under its name, as any program finds it


def test_what_lies_beside_a_machine_may_be_lost(shop: Shop, machines: tuple[BucketBlobs, BucketBlobs]) -> None:
    one, _ = machines
    sha = put(shop, one, b"art")
    one.place(sha).unlink()
    assert one.has(sha) and one.read(sha) == b"art"


def test_a_damaged_or_missing_file_of_the_bucket_is_gone(shop: Shop, machines: tuple[BucketBlobs, BucketBlobs]) -> None:
    one, other = machines
    sha = put(shop, one, b"art")
    boto3.client("s3").put_object(Bucket="works", Key=f"etiquette/{sha[:2]}/{sha}", Body=b"other")
    with pytest.raises(NotThere):
        other.read(sha)
    assert not list((other.place(sha).parents[1] / "unfinished").iterdir())
    assert one.drop(sha) == 5 and not one.has(sha)
    with pytest.raises(NotThere):
        one.read(sha)
    assert one.drop(sha) == 0


def test_only_what_was_not_used_for_long_goes_from_beside(
    shop: Shop, machines: tuple[BucketBlobs, BucketBlobs]
) -> None:
    one, _ = machines
    shas = [put(shop, one, letter * 1000) for letter in (b"a", b"b", b"c", b"d")]
    for age, sha in zip((9000, 8000, 7000, 0), shas, strict=True):
        os.utime(one.place(sha), (time.time() - age,) * 2)
    one.path(shas[0])  # used just now
    assert one.trim(1500) == 2
    assert [one.place(sha).exists() for sha in shas] == [True, False, False, True]
    assert one.read(shas[1]) == b"b" * 1000


def test_copies_checks_and_collecting_work_with_a_bucket(
    shop: Shop, machines: tuple[BucketBlobs, BucketBlobs], tmp_path: Path
) -> None:
    one, other = machines
    there = replace(shop, blobs=other)
    sha = put(shop, one, b"art")
    copied = backups.write(shop.database, other, tmp_path / "copy.zip")
    assert (copied.files, copied.missing, copied.damaged) == (1, [], [])
    begun = now()
    collect(there, begun)
    assert collect(there, begun + FILES_GRACE).files == 1
    assert not one.has(sha)
    lost = "ab" * 32
    boto3.client("s3").put_object(Bucket="works", Key=f"etiquette/ab/{lost}", Body=b"of a kill")
    assert [(file.sha256, file.size) for file in other.lying()] == [(lost, 9)]
    assert not shop.database.within(lambda session: list(checking.faults(session, other, checking.Checked())))


def test_a_bucket_that_does_not_answer_loses_nothing(
    shop: Shop, tmp_path: Path, bucket: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """No row names what is not in the bucket."""
    gone = files_of(tmp_path / "one", "s3://there-is-none/etiquette")
    with pytest.raises(OSError):
        put(shop, gone, b"art")
    assert (
        shop.database.within(
            lambda session: session.connection().exec_driver_sql("SELECT COUNT(*) FROM `blob`").scalar()
        )
        == 0
    )
