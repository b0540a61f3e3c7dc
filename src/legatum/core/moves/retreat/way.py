"""Each effect taken back: the pieces of the plan that undoes it, and those that all share."""

from collections.abc import Collection, Iterator
from dataclasses import replace

from legatum.core.moves.assembly import Phase, PlannedStep, play
from legatum.core.moves.effects import (
    Agreed,
    Answered,
    Delegated,
    DsChanged,
    DsPublished,
    Effect,
    HostSet,
    Joined,
    Published,
    Ready,
    Records,
    Released,
    RRsetChange,
    ServiceBegun,
    ServiceEnded,
    Signed,
    Statuses,
    Transfer,
    ZoneEnded,
    ZoneMade,
)
from legatum.core.moves.needs import (
    ChainConsistent,
    Lowered,
    Need,
    NoLongerQueried,
    NsSetExpired,
    OldDataExpired,
    Unused,
)
from legatum.core.moves.place import ADDRESSES, PARENT, RRsetKey, keeper_text
from legatum.core.moves.retreat.in_force import SUFFIX
from legatum.core.moves.retreat.keys_anew import Anew
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.moves.timeline import Timeline, timeline_at_the_beginning
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import CNAME, NS, SOA, TXT, type_text
from legatum.core.records.soa import parse_soa, serial_by_rule


class BackwardPlan:
    """``beginning``: before the move; ``now``: after what was done of it; ``led``: zones that visitors were led
    elsewhere for; ``unmaking``: places and zones that were made, and end; ``anew``: keys that are gone; ``done``:
    steps; ``at``: the instant."""

    def __init__(
        self,
        move: Runbook,
        beginning: Timeline,
        now: Timeline,
        led: set[Name],
        unmaking: set[tuple[str, Name]],
        done: Collection[str],
        at: float,
        anew: Anew,
    ) -> None:
        self._at = at
        self._move, self._beginning, self._now, self._led, self._unmaking, self._done = (
            move,
            beginning,
            now,
            led,
            unmaking,
            done,
        )
        self._anew = anew
        self._made: list[ZoneMade | Joined] = []
        self._delegated: Delegated | None = None
        self._soa_done = False
        self._changed_back: dict[tuple[Name, RRsetKey], tuple[str, RRset]] = {}
        self._gone_back: list[tuple[Name, RRsetKey]] = []
        self._old, self._new, self._back = ("new", "old", "again") if move.retreating else ("old", "new", "back")

    def back(self, step: Step, effect: Effect) -> Iterator[PlannedStep]:
        """What takes one effect back."""
        match effect:
            case ZoneMade():
                self._made.append(effect)
                yield from self._unmade(step, effect)
            case Joined():
                self._made.append(effect)
                yield self._piece(
                    Phase.END, step, effect.reverse(), f"End the service at {effect.place}",
                    f"no server of {effect.place} answers for it any more",
                    (NoLongerQueried(effect.place, effect.zone),),
                )  # fmt: skip
            case ZoneEnded():
                source = next(
                    (place for place in self._now.serving(effect.zone) if place != effect.place), effect.source
                )
                restored = replace(effect.reverse(), rrsets=self._left_by(step, effect), source=source)
                yield self._piece(
                    Phase.MAKE,
                    step,
                    restored,
                    f"Publish the zone at {effect.place} again",
                    f"every server of {effect.place} answers with it",
                    (),
                )
                yield from self._with_keys_again(step, effect)
            case Released():
                yield self._piece(
                    Phase.MAKE,
                    step,
                    effect.reverse(),
                    f"Have {effect.place} serve the zone again",
                    f"every server of {effect.place} has the same serial",
                    (),
                )
            case Records() if all(each.key[1] == SOA for each in effect.changed):
                yield from self._soa(step, effect)
            case Records():
                yield from self._records(step, effect)
            case Delegated():
                self._delegated = effect
                yield from self._delegation(step, effect)
            case HostSet():
                yield from self._host(step, effect)
            case DsChanged():
                yield from self._ds(step, effect)
            case Signed():
                yield from self._signing(step, effect)
            case ServiceEnded():
                yield self._piece(
                    Phase.GATHER,
                    step,
                    effect.reverse(),
                    f"See that {effect.address} works again",
                    "said by whoever switched it on",
                    (),
                )
            case ServiceBegun():
                ended = ServiceEnded(effect.address, effect.place)
                title, proof = f"{effect.address} may be switched off again", "said by whoever switches it off"
                yield self._piece(Phase.END, step, ended, title, proof, (Unused(effect.address),))
            case Statuses():
                back = effect.reverse()
                words = "Set" if back.to_set else "Lift"
                locks = ", ".join(back.to_set or back.to_lift)
                yield self._piece(
                    Phase.CLOSE, step, back, f"{words} {locks} at {back.registrar} again", "the registry shows it", ()
                )
            case Transfer() if (cancelled := effect.reverse()) is not None:
                yield self._piece(
                    Phase.GATHER,
                    step,
                    cancelled,
                    f"Cancel the transfer at {effect.gaining}",
                    "the registry says that it was cancelled",
                    (),
                )

    def _piece(
        self, phase: Phase, step: Step, effect: Effect, title: str, proof: str, needs: tuple[Need, ...]
    ) -> PlannedStep:
        made = Step(step.id + SUFFIX, title, (effect,), (), proof, f"do it again: {step.title}", estimate=step.estimate)
        return PlannedStep(phase, made, needs)

    def _unmade(self, step: Step, effect: ZoneMade) -> Iterator[PlannedStep]:
        present = self._now.rrset(effect.place, effect.zone, effect.zone, NS)
        wanted = self._leads_back(effect)
        own = self._move.premises.place(effect.place).own_ns
        if own and effect.zone in self._led:
            # it goes on naming itself: caches that renew their copies stay with it, and it with what they are given
            return
        if effect.zone in self._led and present is not None and wanted is not None and wanted.rdatas != present.rdatas:
            present = self._lowest(effect, present)
            lead = Records(
                effect.place, effect.zone, (RRsetChange(present, rrset(effect.zone, NS, present.ttl, wanted.rdatas)),)
            )
            yield PlannedStep(
                Phase.CHANGE if effect.zone == self._move.domain else Phase.SWITCH,
                Step(
                    f"leave-{effect.place}",
                    f"Set the NS set at {effect.place} to the {self._old} one",
                    (lead,),
                    (),
                    f"every server of {effect.place} hands out the {self._old} NS set",
                    f"set it to the {self._new} one again",
                    estimate=10,
                ),
            )
        yield self._piece(
            Phase.END,
            step,
            effect.reverse(),
            f"End the service at {effect.place}",
            f"no server of {effect.place} answers for it any more",
            (NoLongerQueried(effect.place, effect.zone),),
        )

    def _lowest(self, effect: ZoneMade, present: RRset) -> RRset:
        """The set as it stands when the TTL has been lowered again, where the move had raised it."""
        return present.with_ttl(min(present.ttl, effect.ns.ttl))

    def _leads_back(self, effect: ZoneMade) -> RRset | None:
        """The NS set of whoever served the zone before, or the zone above."""
        for (place, zone, name, rtype), track in self._beginning.rrsets.items():
            if rtype == NS and name == zone == effect.zone and place != effect.place and track.value is not None:
                return track.value
        above = [zone for _, zone in self._beginning.served if zone != effect.zone and is_under(effect.zone, zone)]
        upper = max(above, key=len, default=None)
        return next(
            (
                track.value
                for (_, zone, name, rtype), track in self._beginning.rrsets.items()
                if upper == zone == name and rtype == NS
            ),
            None,
        )

    def _left_by(self, step: Step, effect: ZoneEnded) -> tuple[RRset, ...]:
        """What the place gave when its service ended: from there the rest of the way back goes on."""
        timeline = timeline_at_the_beginning(self._move.premises)
        for past in self._move.past:
            play(timeline, past.effects, 0, past.label)
        for each in self._move.steps[: self._move.steps.index(self._move.step(step.id))]:
            if each.id in self._done:
                play(timeline, each.effects, 0, each.id)
        found = [timeline.rrset(effect.place, effect.zone, *key) for key in timeline.keys(effect.zone)]
        named = {(each.name, each.rtype) for each in found if each is not None}
        return (
            *(each for each in found if each is not None),
            *(each for each in effect.rrsets if (each.name, each.rtype) not in named),
        )

    def _records(self, step: Step, effect: Records) -> Iterator[PlannedStep]:
        groups: dict[Phase, list[RRsetChange]] = {}
        needs: list[Need] = []
        for each in effect.changed:
            leading = each.key == (effect.zone, NS) and targets(each.before) != targets(each.after)
            if leading and (effect.place, effect.zone) in self._unmaking:
                continue  # what ends there leads back anyway
            phase = Phase.CHANGE if effect.cut is not None or _is_swapped(each, effect) else _phase_of(each)
            if phase == Phase.CLOSE and (effect.place, effect.zone) in self._unmaking:
                continue
            groups.setdefault(phase, []).append(each.reverse())
            if phase == Phase.END and each.key[1] in ADDRESSES:
                needs.append(NsSetExpired(effect.zone, (each.key[0],)))
            if phase == Phase.CHANGE and each.key[1] != NS and each.before is not None:
                self._changed_back[effect.zone, each.key] = (effect.place, each.before)
            if phase == Phase.CHANGE and each.before is None and effect.cut is None:
                self._gone_back.append((effect.zone, each.key))
        for phase, changes in groups.items():
            title = (
                f"{_words(phase)} {_list(changes)} at {effect.place} "
                f"{'again' if phase in (Phase.LOWER, Phase.RAISE) else self._back}"
            )
            back = Records(effect.place, effect.zone, tuple(changes), effect.follows)
            yield self._piece(
                phase,
                step,
                back,
                title,
                f"every server of {effect.place} hands it out as before",
                tuple(needs) if phase == Phase.END else (),
            )

    def _soa(self, step: Step, effect: Records) -> Iterator[PlannedStep]:
        """Once for all steps on the way: the fields as they were, and the serial goes on, as secondaries need it to."""
        before, now = (
            timeline.rrset(effect.place, effect.zone, effect.zone, SOA) for timeline in (self._beginning, self._now)
        )
        if before is None or now is None or before == now or self._soa_done:
            return
        self._soa_done = True
        serial = serial_by_rule(self._move.premises.serial_rule, parse_soa(now.rdatas[0]).serial, self._at)
        fields = parse_soa(before.rdatas[0])._replace(serial=serial)
        back = Records(
            effect.place,
            effect.zone,
            (RRsetChange(now, rrset(effect.zone, SOA, before.ttl, [fields.rdata()])),),
            effect.follows,
        )
        title = f"Set the SOA record at {effect.place} back; the serial goes on"
        yield self._piece(Phase.CHANGE, step, back, title, "every server has it", ())

    def _delegation(self, step: Step, effect: Delegated) -> Iterator[PlannedStep]:
        back = effect.reverse()
        names = ", ".join(map(name_text, back.after)) or "nobody"
        yield self._piece(
            Phase.SWITCH,
            step,
            back,
            f"Set the NS set at the registrar {back.registrar} {self._back} to {names}",
            f"the registry holds exactly the {self._old} set",
            (),
        )
        yield PlannedStep(
            Phase.SEEN,
            Step(
                "parents" + SUFFIX,
                f"See the {self._old} NS set on every server of .{name_text(back.parent_zone)}",
                (Published(back.domain, back.after),),
                (),
                f"every address of every parent server hands out exactly the {self._old} set",
                "nothing to take back",
                estimate=next(
                    (
                        each.estimate
                        for each in self._move.steps
                        if any(isinstance(one, Published) for one in each.effects)
                    ),
                    3600,
                ),
            ),
        )

    def _signing(self, step: Step, effect: Signed) -> Iterator[PlannedStep]:
        back = self._anew.signed(effect.reverse())
        if back.before == back.after:
            return
        if back.after is None:
            phase, words = Phase.END, "end the signing"
        elif back.before is None:
            phase, words = Phase.MAKE, "sign the zone again"
        else:
            phase, words = (Phase.CONNECT if back.takes_away else Phase.MAKE), f"have {back.after.roles_text} again"
        if phase == Phase.CONNECT and (back.place, back.zone) in self._unmaking:
            return  # it has ended by then, keys and all
        title = f"Have {back.place} {words}"
        yield self._piece(
            phase, step, back, title, f"every server of {back.place} shows it", (ChainConsistent(back.zone),)
        )

    def _with_keys_again(self, step: Step, ended: ZoneEnded) -> Iterator[PlannedStep]:
        """A zone that is made anew with other keys: those are put wherever the old ones are still, and others' keys
        beside them."""
        zone, own = ended.zone, self._now.keys_at(ended.place, ended.zone)
        if not self._anew.renamed or own is None or ended.keys is None:
            return
        back = f"take it out again: {step.title}"
        foreign = [
            label for label in own.published if label not in self._anew.renamed and label not in ended.keys.published
        ]
        changes: list[Signed] = []
        for place in self._now.serving(zone):
            held = self._now.keys_at(place, zone)
            if held is None:
                continue
            if set(foreign) & set(held.zone):
                changes.append(Signed(ended.place, zone, ended.keys, ended.keys.with_foreign(foreign), (), place))
            if self._anew.keys(held) != held:  # else those that it had taken out come in again, renamed
                changes.append(Signed(place, zone, held, self._anew.keys(held), (), ended.place))
        for change in changes:
            title = f"Put the zone keys of {change.shares} into the key set at {change.place}"
            yield PlannedStep(
                Phase.MAKE,
                Step(
                    f"keys-at-{change.place}-anew",
                    title,
                    (change,),
                    (),
                    "every server there hands out the zone keys of both",
                    back,
                    estimate=60,
                ),
                (ChainConsistent(zone),),
            )
        ds_changed = next(
            (effect for each in self._move.steps for effect in each.effects if isinstance(effect, DsChanged)), None
        )
        present = self._now.ds_set(zone)
        if ds_changed is not None and self._anew.anchors(present) != present:
            again = replace(ds_changed, before=present, after=self._anew.anchors(present))
            yield from self._told(replace(step, id="ds-anew", title="Put in the old DS set"), again, Phase.TRUST)

    def _ds(self, step: Step, effect: DsChanged) -> Iterator[PlannedStep]:
        back = effect.reverse()
        back = replace(back, before=self._anew.anchors(back.before), after=self._anew.anchors(back.after))
        if back.before == back.after:
            return
        first = not back.after or (
            bool(back.before) and back.before.labels < back.after.labels
        )  # before anybody is led back
        yield from self._told(step, back, Phase.TRUST if first else Phase.CONNECT)

    def _told(self, step: Step, back: DsChanged, phase: Phase) -> Iterator[PlannedStep]:
        """The registrar told, and the parent's servers looked at."""
        words = f"Put in {back.after.text} again" if back.after else "Take the DS set away"
        words += f" {keeper_text(back.registrar)}"
        yield self._piece(phase, step, back, words, "the registry holds just this", (ChainConsistent(back.domain),))
        yield PlannedStep(
            phase,
            Step(
                f"{step.id}-seen{SUFFIX}",
                f"See {'it' if back.after else 'no DS'} on every server of .{name_text(back.parent_zone)}",
                (DsPublished(back.domain, back.after),),
                (),
                "every address of every parent server hands out just this",
                "nothing to take back",
                estimate=3600,
            ),
        )

    def _host(self, step: Step, effect: HostSet) -> Iterator[PlannedStep]:
        back = effect.reverse()
        text = name_text(effect.host)
        title = (
            f"Set the addresses of {text} at {effect.registrar} back to {', '.join(back.after)}"
            if back.after
            else f"Take the host {text} away"
        )
        goes = not back.after
        needs: tuple[Need, ...] = (NsSetExpired(self._move.domain, (effect.host,)),) if goes else ()
        yield self._piece(
            Phase.LEAVE if goes else Phase.MAKE, step, back, title, "the registry holds just these", needs
        )

    def shared(self) -> Iterator[PlannedStep]:
        """What comes once for the whole way back: whoever is led to again is ready, and everybody is back."""
        if self._changed_back:
            (zone, _), *_ = self._changed_back
            places = tuple(dict.fromkeys(place for place, _ in self._changed_back.values()))
            sets = tuple(each for _, each in self._changed_back.values())
            yield PlannedStep(
                Phase.CONFIRM,
                Step(
                    "confirm-records" + SUFFIX,
                    "Confirm that everybody has what was there before",
                    (Answered(zone, places[-1:], sets),),
                    (),
                    "every server and every resolver gives it",
                    "nothing to take back",
                ),
                tuple(OldDataExpired(zone, key) for zone, key in (*self._changed_back, *self._gone_back)),
            )
        for zone in sorted(self._led):
            ns = self._old_ns(zone)
            places = tuple(each for each in self._beginning.serving(zone) if each != PARENT)
            leaving = tuple(each.place for each in self._made if each.zone == zone and isinstance(each, ZoneMade))
            if not places:
                continue
            yield PlannedStep(
                Phase.READY,
                Step(
                    "ready" + SUFFIX,
                    f"Check that the {self._old} side is ready for everybody",
                    (Ready(zone, places, (), leaving),),
                    ("every server of it answers for the zone", "nothing was edited on one side only"),
                    "every server, every address, the same contents on both sides",
                    "nothing to take back",
                ),
                (Lowered(zone, (zone, NS)), ChainConsistent(zone, places)),
            )
            at_registrar = (
                self._move.premises.registrar if zone == self._move.domain and self._delegated is not None else ""
            )
            needs: tuple[Need, ...] = (
                *(NoLongerQueried(each.place, zone) for each in self._made if each.zone == zone),
                *((OldDataExpired(zone, (zone, NS)),) if not self._made else ()),
            )
            stays = any(self._move.premises.place(each.place).own_ns for each in self._made if each.zone == zone)
            parties = "parent, child and registrar" if stays else "parent, child, registrar and all resolvers"
            yield PlannedStep(
                Phase.CONFIRM,
                Step(
                    "confirm" + SUFFIX,
                    f"Confirm {parties}",
                    (Agreed(zone, ns, at_registrar, not stays),),
                    (f"no {self._new} NS left over anywhere",),
                    f"all agree on the {self._old} NS set",
                    "nothing to take back",
                ),
                needs,
            )

    def _old_ns(self, zone: Name) -> tuple[Name, ...]:
        if zone == self._move.domain:
            return targets(self._beginning.rrset(PARENT, self._move.premises.parent_zone, zone, NS))
        return next(
            (
                targets(track.value)
                for (_, each, name, rtype), track in self._beginning.rrsets.items()
                if each == name == zone and rtype == NS
            ),
            (),
        )


def _is_swapped(change: RRsetChange, effect: Records) -> bool:
    """An alias in the place of what stood there, or the other way round: no server takes one beside the other (RFC 1034
    s3.6.2)."""
    beside = [each for each in effect.changed if each.key[0] == change.key[0] and each.key != change.key]
    return bool(beside) and any(each.key[1] == CNAME for each in (change, *beside))


def _phase_of(change: RRsetChange) -> Phase:
    """When the reverse of a change comes."""
    if change.before is None:
        return Phase.END
    if change.after is None:
        return Phase.MAKE
    if change.before.rdatas != change.after.rdatas:
        before, after = _words_of(change.before), _words_of(change.after)
        if change.key[1] == TXT and before < after:
            return Phase.CLOSE  # whoever was let in beside others goes last
        return Phase.MAKE if change.key[1] == TXT and before > after else Phase.CHANGE
    return Phase.RAISE if change.before.ttl > change.after.ttl else Phase.LOWER


def _words_of(rrset_: RRset) -> set[str]:
    return {word for text in rdata_texts(rrset_) for word in text.strip('"').split()}


def _words(phase: Phase) -> str:
    return {Phase.END: "Take", Phase.MAKE: "Put", Phase.RAISE: "Raise the TTL of", Phase.LOWER: "Lower the TTL of"}.get(
        phase, "Set"
    )


def _list(changes: list[RRsetChange]) -> str:
    named = [f"{name_text(each.key[0])} {type_text(each.key[1])}" for each in changes]
    return ", ".join(named[:4]) + (f" and {len(named) - 4} more" if named[4:] else "")
