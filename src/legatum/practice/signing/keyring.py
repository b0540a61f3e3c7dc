"""The keys of one zone at one provider, and what each does: through the stages of an exchange, there and back.

A provider begins with one key for all (ECDSA P-256, RFC 6605); another algorithm is Ed25519 (RFC 8080). Private keys
are kept for the process: every world of it has the same ones.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import lru_cache

from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric import ec, ed25519

from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import Name
from legatum.core.running.fault import BadInput

P256, ED25519 = 13, 15
_ENTRY_AND_ZONE_KEY, _PROTOCOL = 257, 3
_BACK = "-back"
Private = ec.EllipticCurvePrivateKey | ed25519.Ed25519PrivateKey


@dataclass(frozen=True)
class ZoneKey:
    """One key: ``published`` in the key set, signs that set (``entry``), signs the rest (``zone``)."""

    private: Private
    data: bytes
    algorithm: int
    published: bool = True
    entry: bool = True
    zone: bool = True


@dataclass
class KeyRing:
    """``keys``: oldest first; ``foreign``: DNSKEY data of others in the key set; ``before``: how it was before each
    stage."""

    owner: str
    origin: Name
    keys: tuple[ZoneKey, ...]
    foreign: tuple[bytes, ...] = ()
    before: dict[str, tuple[ZoneKey, ...]] = field(default_factory=dict)

    @classmethod
    def first(cls, owner: str, origin: Name) -> "KeyRing":
        """As the provider ``owner`` begins."""
        return cls(owner, origin, (zone_key(owner, origin, 0, P256),))

    @property
    def published(self) -> tuple[bytes, ...]:
        return tuple(sorted({*(each.data for each in self.keys if each.published), *self.foreign}))

    @property
    def asked_for(self) -> tuple[bytes, ...]:
        """The DS set that the keys ask for: those that sign the key set."""
        return tuple(sorted(ds_of_key(self.origin, each.data) for each in self.keys if each.published and each.entry))

    def go(self, stage: str) -> None:
        """Raises :class:`BadInput` for a stage that does not come now."""
        name, _, again = stage.partition(_BACK)
        if again or stage.endswith(_BACK):
            if name not in self.before:
                raise BadInput(f"the keys have not been through '{name}'")
            self.keys = self.before.pop(name)
            return
        before = self.keys
        self.keys = self._after(stage)
        self.before[stage] = before

    def _after(self, stage: str) -> tuple[ZoneKey, ...]:
        *old, new = self.keys
        match stage:
            case "new-key" if not new.published:
                return (*old, replace(new, published=True, entry=True))
            case "new-key":
                return (*self.keys, replace(self._another(new.algorithm), zone=False))
            case "new-signatures":
                other = self._another(ED25519 if new.algorithm == P256 else P256)
                return (*self.keys, replace(other, published=False, entry=False))
            case "re-sign" if old:
                return (*(replace(each, zone=False) for each in old), replace(new, zone=True))
            case "alone" if old:
                return (*(replace(each, entry=False, zone=False) for each in old), replace(new, zone=True))
            case "old-key" if old and any(each.algorithm != new.algorithm for each in old):
                return (*(replace(each, published=False) for each in old), new)
            case "old-key" | "old-signatures" if old:
                return (new,)
        raise BadInput(f"no stage '{stage}' for {len(self.keys)} keys")

    def _another(self, algorithm: int) -> ZoneKey:
        return zone_key(self.owner, self.origin, len(self.before) + len(self.keys), algorithm)

    def bring(self, other: "KeyRing") -> None:
        """Signs with the keys of another provider, and with no others."""
        self.before["keys-brought"] = self.keys
        self.keys = other.keys

    def take_in(self, published: Iterable[bytes]) -> None:
        """What an update has made of the key set: records of others stay in it."""
        own = {each.data for each in self.keys}
        self.foreign = tuple(sorted({*published} - own))


def key_data(owner: str, origin: Name) -> bytes:
    """The DNSKEY with which the owner begins."""
    return zone_key(owner, origin, 0, P256).data


@lru_cache(maxsize=8192)
def zone_key(owner: str, origin: Name, number: int, algorithm: int) -> ZoneKey:
    private: Private = (
        ec.generate_private_key(ec.SECP256R1()) if algorithm == P256 else ed25519.Ed25519PrivateKey.generate()
    )
    head = _ENTRY_AND_ZONE_KEY.to_bytes(2) + bytes((_PROTOCOL, algorithm))
    return ZoneKey(private, head + _public(private), algorithm)


def _public(private: Private) -> bytes:
    if isinstance(private, ed25519.Ed25519PrivateKey):
        return private.public_key().public_bytes(serialization.Encoding.Raw, serialization.PublicFormat.Raw)
    numbers = private.public_key().public_numbers()
    return numbers.x.to_bytes(32) + numbers.y.to_bytes(32)
