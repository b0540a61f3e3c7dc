"""What cannot be meant is refused with its line; the page about the settings and the code say the same."""

import re
import tomllib
from pathlib import Path

import msgspec
import pytest

from legatum.core.running.fault import BadInput
from legatum.settings import document
from legatum.settings.document import Section, Settings
from legatum.settings.reading import read_settings

PAGE = (Path(__file__).parents[2] / "docs" / "settings.md").read_text(encoding="utf-8")
EXAMPLE = PAGE[PAGE.index("```toml") + 8 : PAGE.index("```", PAGE.index("```toml") + 8)]


def read(folder: Path, text: str) -> Settings:
    (folder / "legatum.toml").write_text(text, encoding="utf-8")
    return read_settings(folder / "legatum.toml")


def test_the_page_is_read_and_has_every_key_and_every_default(tmp_path: Path) -> None:
    found = read(tmp_path, EXAMPLE)
    defaults = msgspec.to_builtins(msgspec.convert({"network": {"roots": "public"}}, Settings))
    written = tomllib.loads(EXAMPLE)
    assert {table: written[table] for table in ("house", "network")} == {
        "house": defaults["house"],
        "network": {key: value for key, value in defaults["network"].items() if key != "map"},
    }
    assert len(found.providers) == 3 and len(found.registrars) == 2
    sections = [
        each
        for each in vars(document).values()
        if isinstance(each, type) and issubclass(each, Section) and each is not Section
    ]
    keys = {key for each in sections for key in each.__struct_fields__ if each.__name__ != "Clock"}
    assert {key for key in keys if not re.search(rf"\b{key}\b", PAGE)} == set()


@pytest.mark.parametrize(
    ("line", "wrong", "says"),
    [
        ('ns_ttl = "1d"', 'ns_ttl = "0"', 'ns_ttl = "0"'),
        ('low_ttl = "5m"', 'low_ttl = "2d"', "low_ttl 2d is above ns_ttl, 1d"),
        ('ns_ttl = "1d"', 'ns_ttl = "9999999w"', "ns_ttl"),
        ('time_zone = "UTC"', 'time_zone = "Europe/Nowhere"', "'Europe/Nowhere' is no known time zone"),
        ("windows = []", 'windows = ["Sat 22-4"]', "'Sat 22-4' is no window"),
        ("quiet = []", 'quiet = ["2032-01-06..2031-12-20"]', "ends before it begins"),
        ('ttls = { A = "1h"', 'ttls = { A = "0"', 'A = "0"'),
        ("soa = {}", 'soa = { retry = "soon" }', "'soon' is no duration"),
        ("most_removed = 25", "most_removed = 250", "most_removed = 250"),
        ('margin = "30s"', 'margin = "-5s"', "margin: '-5s' is no duration"),
        ('poll = "10s"', 'poll = "0"', 'poll = "0"'),
        ('primary = "198.51.100.31"', 'primary = "ns1.alder.test"', "primary: 'ns1.alder.test' is no address"),
        ('servers = ["ns1.rowan.test"]', "servers = []", "no name servers"),
        ('servers = ["ns1.oak.test"]', 'servers = ["ns1..oak"]', "empty label"),
        ('harbour = "192.0.2.101"', 'harbour = "192.0.2.1010"', "harbour: '192.0.2.1010' is no address"),
        (
            'mill = { address = "192.0.2.102"',
            'mill = { address = "here"',
            "[resolvers.mill] address: 'here' is no address",
        ),
        ('notify = ["203.0.113.70"]', 'notify = ["oak"]', "notify: 'oak' is no address"),
        ("port = 700", "port = 70000", "port = 70000"),
        ('password = "env:FLINT_PASSWORD"', 'password = "hunter2hunter2"', "a secret is given as a value"),
        ('algorithm = "hmac-sha256"', 'algorithm = "rot13"', "unknown algorithm 'rot13'"),
        ('# dns = ["alder"]', 'dns = ["elder"] #', "no provider 'elder'"),
        ("tries = 2 ", "tries = 0 ", "tries = 0"),
        ("home = []", 'home = ["10.0.0.0/33"]', "home: '10.0.0.0/33' is no range"),
    ],
)
def test_what_cannot_be_meant_is_refused_with_its_line(tmp_path: Path, line: str, wrong: str, says: str) -> None:
    assert EXAMPLE.count(line) == 1
    text = EXAMPLE.replace(line, wrong)
    number = next(at for at, each in enumerate(text.splitlines(), 1) if wrong in each)
    with pytest.raises(BadInput) as seen:
        read(tmp_path, text)
    told = seen.value.message
    assert says in told and f"legatum.toml:{number}: " in told and seen.value.remedy and "hunter2" not in told
