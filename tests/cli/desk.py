"""The program called in this process, over a practice world in a thread: its clock, servers and visitors can be reached
into."""

import contextlib
import io

from legatum.cli.program.main import main
from legatum.core.records.name import parse_domain
from legatum.core.records.rrtype import MX, A
from legatum.demo.world_thread import WorldThread

DOMAIN = "kilnandclay.example"


class Desk:
    """The program over one practice world. ``said``: by the last command; ``settings``: the file that it goes by."""

    def __init__(self, practice: WorldThread) -> None:
        self.practice, self.world = practice, practice.world
        self.said = ""
        self.settings = practice.world.settings_file

    def run(self, *words: str) -> int:
        with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.redirect_stderr(out):
            status = main((*words, "--settings", str(self.settings)))
        self.said = out.getvalue()
        return status

    def done(self, *words: str) -> None:
        """A command that ends well."""
        assert self.run(*words) == 0, self.said

    def receive(self) -> None:
        """Visitors from now on, by every resolver."""
        asked = [
            (parse_domain(f"shop.{DOMAIN}"), A),
            (parse_domain(f"w.preview.{DOMAIN}"), A),
            (parse_domain(DOMAIN), MX),
        ]
        self.practice.visit(asked, 120.0)

    @property
    def failures(self) -> list[object]:
        """Visitors who did not get what they came for; some have come."""
        assert self.world.visitors.seen
        return [each for each in self.world.visitors.seen if not each.good]
