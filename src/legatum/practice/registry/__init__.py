"""The registry stand-in: a book, a desk for each kind of object, and the publisher."""

from legatum.practice.registry.publishing import Tld
from legatum.practice.registry.registry import Registry
from legatum.practice.registry.trouble import Trouble

__all__ = ["Registry", "Tld", "Trouble"]
