"""The stand-ins start with the product, are set up where they stand, and never outlive it."""

import json
import stat
from pathlib import Path

import httpx
import pytest

from lucidex.core.errors import UnavailableError
from lucidex.launch.standins import standing_in
from lucidex.services.house.workshop import Workshop
from lucidex.services.outside.adapters import ADAPTERS, SITE, adapter_of
from lucidex.services.outside.settings import find_service, read_services
from tests.standins.running import DEMO, own_process


def test_all_of_them_answer_while_the_product_runs_and_not_after(workshop: Workshop, tmp_path: Path) -> None:
    with standing_in(workshop, tmp_path, DEMO):
        shipped = [one for one in read_services(workshop) if one.is_shipped]
        assert {one.kind for one in shipped} == {one.kind for one in ADAPTERS}
        for one in shipped:
            assert adapter_of(one.kind).describe(workshop, one).startswith("It ")
            assert one.address.startswith("http://127.0.0.1:")
        secret = find_service(workshop, SITE).token
        assert len(secret) > 30
        kept = tmp_path / "site" / "tokens.json"
        assert secret not in json.dumps(json.loads(kept.read_text())), "only its digest is told to the site"
    for one in shipped:
        with pytest.raises(UnavailableError):
            adapter_of(one.kind).describe(workshop, one)
    with standing_in(workshop, tmp_path, DEMO):
        assert find_service(workshop, SITE).token == secret, "the next start knows it still"
        assert (
            adapter_of(SITE).describe(workshop, find_service(workshop, SITE)) == "It lists 6 pages with 9 pictures."
        )
    assert not stat.S_IMODE((tmp_path / "site" / "product-token").stat().st_mode) & 0o077


@pytest.mark.parametrize("package", ["standins.scanner", "standins.source", "standins.site"])
def test_a_stand_in_ends_with_whoever_started_it(package: str, tmp_path: Path) -> None:
    """Also where that one is killed: its end of the pipe is closed then."""
    with own_process(package, tmp_path) as (address, process):
        assert httpx.get(address, timeout=20, follow_redirects=True).status_code == 200
        assert process.stdin is not None
        process.stdin.close()
        assert process.wait(10) == 0
