"""What is taken where the settings say nothing: this machine's resolvers, in every form of their file; nothing in a
closed world."""

from pathlib import Path

import pytest

from legatum.settings.assumed import assumed, machine_resolvers
from legatum.settings.document import ManualProvider, ManualRegistrar
from legatum.settings.named import Providers, Registrars, provider_name
from legatum.settings.reading import read_settings


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("nameserver 192.0.2.53\n", {"machine": "192.0.2.53"}),
        ("# made by a program\nsearch office.test\nnameserver 192.0.2.53\nnameserver 2001:db8::53\noptions edns0\n",
         {"machine": "192.0.2.53", "machine-2": "2001:db8::53"}),
        ("nameserver 127.0.0.53\noptions trust-ad\n", {"machine": "127.0.0.53"}),
        ("  nameserver\t192.0.2.53   # the old one\n;nameserver 192.0.2.54\n", {"machine": "192.0.2.53"}),
        ("nameserver 192.0.2.53\nnameserver 192.0.2.53\n", {"machine": "192.0.2.53"}),
        ("nameserver fe80::1%eth0\nnameserver resolver.office.test\nnameserver\nnameserver 192.0.2.300\n", {}),
        ("\r\nnameserver 2001:DB8:0::53\r\n", {"machine": "2001:db8::53"}),
        ("", {}),
        ("\xff\xfe nothing\n", {}),
    ],
)  # fmt: skip
def test_resolvers_of_the_machine(tmp_path: Path, text: str, found: dict[str, str]) -> None:
    file = tmp_path / "resolv.conf"
    file.write_text(text, encoding="latin-1")
    assert machine_resolvers(file) == found


def test_no_such_file_is_no_resolver(tmp_path: Path) -> None:
    assert machine_resolvers(tmp_path / "none") == {} and machine_resolvers(tmp_path) == {}


@pytest.mark.parametrize(
    ("document", "taken"),
    [
        ({}, {"resolvers", "rdap"}),
        ({"network": {}}, {"resolvers", "rdap"}),
        ({"network": {"roots": "public", "ipv6": False}}, {"resolvers", "rdap"}),
        ({"resolvers": {}}, {"rdap"}),
        ({"rdap": {"bootstrap": "own.json"}}, {"resolvers"}),
        ({"network": {"roots": "public", "map": {}}}, set()),
        ({"network": {"roots": {"a.root.test": ["192.0.2.1"]}}}, set()),
        ({"network": "public"}, set()),
    ],
)
def test_only_what_is_missing_and_only_of_the_public_network(
    tmp_path: Path, document: dict[str, object], taken: set[str]
) -> None:
    file = tmp_path / "resolv.conf"
    file.write_text("nameserver 192.0.2.53\n")
    assert set(assumed(document, file)) == taken


def test_an_empty_file_is_a_file(tmp_path: Path) -> None:
    file = tmp_path / "legatum.toml"
    file.write_text("")
    settings = read_settings(file)
    assert settings.network.roots == "public" and settings.network.map is None
    assert settings.rdap is not None and settings.rdap.bootstrap == "public"
    assert settings == read_settings(None) and not settings.providers and settings.journal == "journal.sqlite"


def test_whoever_needs_no_settings() -> None:
    own = ManualProvider(servers=["ns1.alder.test"])
    providers, registrars = Providers({"alder": own}), Registrars({"flint": ManualRegistrar(page="https://flint.test")})
    assert providers["alder"] is own and list(providers) == ["alder"] and len(providers) == 1
    named = providers["NS2.birch.example.,ns1.birch.example"]
    assert isinstance(named, ManualProvider) and named.servers == ["ns1.birch.example", "ns2.birch.example"]
    for neither in ("birch", "kilnandclay.example.zone", "a,b", "./a.zone,b.zone", "ns1..x,ns2.x", ",", ""):
        assert neither not in providers, neither
    assert (
        "form" in registrars and "flint" in registrars and "granite" not in registrars and list(registrars) == ["flint"]
    )


@pytest.mark.parametrize(
    ("typed", "name"),
    [
        ("ns2.birch.example, NS1.Birch.example.", "ns1.birch.example,ns2.birch.example"),
        ("ns1.birch.example,", "ns1.birch.example,"),
        ("ns1.birch.example,ns1.birch.example.", "ns1.birch.example,"),
        ("birch", "birch"),
        ("", ""),
    ],
)
def test_one_name_for_the_same_servers(typed: str, name: str) -> None:
    assert provider_name(typed) == name and provider_name(name) == name
