"""A provider with only a form, before a real server: somebody does there by hand what the worksheets say, and nothing
else."""

import subprocess
import time
import tomllib

import dns.query
import dns.tsigkeyring
import dns.update
import tomli_w

from legatum.core.moves.effects import Delegated, Effect, Records, ZoneEnded, ZoneMade
from legatum.core.moves.runbook import next_step
from legatum.core.records.name import absolute_text, name_text, parse_domain
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import SOA
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.masterlines import master_text
from legatum.journal.journal import Journal
from legatum.work.movefile import read_move, zone_path
from tests.real.lab import Lab
from tests.real.processes import KEY_NAME


class Person:
    """``home``: the provider, or the registrar, that the settings of this person's house have as a form. ``sheets``:
    worked off so far."""

    def __init__(self, lab: Lab, domain: str, home: str) -> None:
        self.lab, self.domain, self.home, self.sheets = lab, domain, home, 0
        self.settings = f"by-form-{home}.toml"
        settings = tomllib.loads((lab.folder / "legatum.toml").read_text())
        if home in settings["registrars"]:
            settings["registrars"][home] = {"kind": "manual"}
        else:
            settings["providers"][home] = {
                "kind": "manual",
                "servers": settings["providers"][home]["servers"],
                "apex_ns": "ours",
            } | {
                "primary": lab.hostings[home].address,
                "key": {"name": KEY_NAME, "secret": "file:secret"},
            }
        (lab.folder / self.settings).write_text(tomli_w.dumps(settings))
        self.file = self.move = lab.folder / "moves" / f"{domain}.move.toml"

    def carry_out(self, *wishes: str) -> None:
        """One move, from draft to complete."""
        drafted = self.lab.run("move", "draft", self.domain, *wishes, settings=self.settings)
        assert drafted.status == 0, drafted.err
        self._go("advance")

    def take_back(self) -> None:
        self._go("retreat")

    def _go(self, verb: str) -> None:
        before = self.sheets
        self.file = self.move if verb == "advance" else self.move.with_name(f"{self.domain}.retreat.toml")
        for _ in range(120):
            ended = self.lab.run("move", verb, self.domain, "--yes", settings=self.settings)
            if ended.status == 3 and "the worksheet for it" in ended.err:
                self.work_off()
            elif "the move is complete" in ended.out or "every step is taken back" in ended.out:
                assert self.sheets > before
                return
            else:
                assert ended.status == 0 and "holding before step" in ended.out, (ended.out, ended.err)
                time.sleep(1)
        raise AssertionError(f"{self.domain}: {ended.out} {ended.err}")

    def work_off(self) -> None:
        runbook = read_move(self.file)
        step = next_step(runbook, Journal("journal.sqlite", self.lab.folder).outcomes(runbook.id))
        assert step is not None
        sheet = self.move.with_name(f"{self.domain}.{step.id}.md").read_text()
        assert sheet.startswith("# ") and f" at {self.home}" in sheet.splitlines()[0] and "- [ ] " in sheet, sheet
        self.sheets += 1
        for effect in step.effects:
            self._do(effect)

    def _do(self, effect: Effect) -> None:
        match effect:
            case Records() if any(each.key[1] == SOA for each in effect.changed):
                key = {KEY_NAME: (self.lab.folder / "secret").read_text()}
                update = dns.update.UpdateMessage(
                    self.domain, keyring=dns.tsigkeyring.from_text(key), keyalgorithm="hmac-sha256"
                )
                for text in (each.after for each in effect.changed if each.after is not None):
                    update.replace("@", text.ttl, "SOA", *rdata_texts(text))
                assert dns.query.tcp(update, self.lab.hostings[self.home].address, timeout=5).rcode() == 0
            case Records():
                for each in effect.changed:
                    # type: ignore[union-attr]
                    what = (absolute_text(each.key[0]), (each.after or each.before).type_text)
                    data = (
                        ("--clear",)
                        if each.after is None
                        else (*rdata_texts(each.after), "--ttl", f"{each.after.ttl}s")
                    )
                    self._typed("amend", self.domain, *what, *data, "--at", self.home)
            case ZoneMade():
                self._command("create")
                whole = parse_master(zone_path(self.move).read_text(), parse_domain(self.domain), "the gathered zone")
                file = self.lab.folder / f"{self.domain}.typed"
                file.write_text(master_text(whole.with_rrsets(effect.rrsets), ["as it shall be"]))
                self._typed("publish", self.domain, "--to", self.home, "--from", str(file))
            case ZoneEnded():
                self._command("end")
            case Delegated():
                names = ",".join(map(name_text, effect.after))
                self._typed("registration", "nameservers", self.domain, "--registrar", self.home, "--ns", names)
            case _:
                raise AssertionError(f"no form for {effect} at {name_text(parse_domain(self.domain))}")

    def _typed(self, *words: str) -> None:
        """With the house's own tool, which has the real key."""
        self.lab.legatum(*words, "--yes", "--anyway")

    def _command(self, verb: str) -> None:
        subprocess.run([str(self.lab.folder / self.home / verb), self.domain], check=True, capture_output=True)
