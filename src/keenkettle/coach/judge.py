"""From metrics to findings: each with its evidence, its severity and how sure it is.

A value within its own error of a limit is a note at most. What the clip cannot decide is
listed as not judged, with what would decide it.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from math import hypot, inf
from statistics import NormalDist

from keenkettle.coach.faults import Fault, Test, all_faults
from keenkettle.coach.lifts import Lift
from keenkettle.lifter.body import HEIGHT_SHARE
from keenkettle.measure.events import Events
from keenkettle.measure.sheet import NOT_THIS_LIFT, Measure, Measures

DEFAULT_TOUCHING_MM = 100.0  # hip joint to bar centre, bar against the body
#: Share of stature a lift's target stands at; "lower chest" and "navel" as in the catalogue.
TARGET_SHARE = {**HEIGHT_SHARE, "lower chest": 0.685}
ARM_SHARE = 0.386  # shoulder to grip: Winter (2009), upper arm + forearm + half a hand
LIKELY = 0.75  # a finding must be so probable at least, three to one; most are far surer
CLOSE = 0.80  # a less probable one is close to the limit; nothing is put down to it
GOOD_SIGMAS = 2.0
#: Errors as large as any fault: a value that is no clearer than that is on neither side of a limit.
TOO_ROUGH = {"mm": 80.0, "deg": 20.0, "ms": 100.0}
NEEDS = {"set_hip_mm": "needs the athlete's grip, settled where the set position is fitted"}
MOST_GOOD = 4


@dataclass(frozen=True)
class Reference:
    """This athlete's own lengths in mm; None where neither measured nor estimable.

    ``set_hip_mm``: by family, the hip over the bar in the set position that was fitted to the
    athlete, from the floor, and its standard deviation.
    """

    stature_mm: float | None = None
    touching_mm: float | None = None
    arm_mm: float | None = None
    heights_mm: dict[str, float] = field(default_factory=dict)
    set_hip_mm: dict[str, tuple[float, float]] = field(default_factory=dict)

    def value(self, name: str, lift: Lift) -> float | None:
        """The length a limit is scaled by."""
        if name == "touching_mm":
            return self.touching_mm or DEFAULT_TOUCHING_MM
        if name == "stature_mm":
            return self.stature_mm
        if name == "arm_mm":
            return self.arm_mm or (ARM_SHARE * self.stature_mm if self.stature_mm else None)
        if name == "set_hip_mm":
            return self._set_hip(lift)[0]
        if name == "target_mm" and lift.target:
            measured = self.heights_mm.get(lift.target)
            share = TARGET_SHARE.get(lift.target)
            return measured or (share * self.stature_mm if share and self.stature_mm else None)
        return None

    def _set_hip(self, lift: Lift) -> tuple[float | None, float]:
        known = self.set_hip_mm if lift.start == "floor" else {}
        return known.get(lift.family, (None, 0.0))

    def error(self, name: str, lift: Lift) -> float:
        """Standard deviation of a length that is fitted; of those that are measured it is none."""
        return self._set_hip(lift)[1] if name == "set_hip_mm" else 0.0


@dataclass(frozen=True)
class Evidence:
    """One measured value against its limit. ``limit`` is the note limit that was crossed."""

    metric: str
    label: str
    value: float
    sigma: float
    limit: float
    unit: str
    relation: str


@dataclass(frozen=True)
class Finding:
    """One fault that the film shows. Frames are sample indices of the motion."""

    fault: str
    severity: str
    at: int
    frame_from: int
    frame_to: int
    confidence: float
    evidence: tuple[Evidence, ...]
    says: str
    follows: str = ""


@dataclass(frozen=True)
class Verdict:
    """Everything judged about one rep; ``not_judged`` is (fault id, why)."""

    findings: tuple[Finding, ...]
    good: tuple[str, ...]
    not_judged: tuple[tuple[str, str], ...]
    judged: int


@dataclass(frozen=True)
class _Outcome:
    beyond: float  # signed distance past the limit, in the metric's unit; > 0 is past it
    limit: float
    measure: Measure
    test: Test


def _limits(test: Test, ref: Reference, lift: Lift) -> list[tuple[float, str]] | None:
    """The limits with their direction, or None where the body quantity is not known."""
    factor, offset = 1.0, 0.0
    if test.times:
        scale = ref.value(test.times, lift)
        if scale is None:
            return None
        factor = scale
    if test.plus:
        base = ref.value(test.plus, lift)
        if base is None:
            return None
        offset = base
    sides = ["below", "above"] if test.relation == "outside" else [test.relation]
    return [(v * factor + offset, side) for v, side in zip(test.limit, sides, strict=True)]


def _try(test: Test, measures: Measures, ref: Reference, lift: Lift) -> _Outcome | str:
    """How far past its limit a test is, or why that is not known."""
    measure = measures.get(test.metric)
    if measure is None or measure.value is None:
        return measure.why if measure else "was not measured"
    limits = _limits(test, ref, lift)
    if limits is None:
        return NEEDS.get(test.plus, "needs the athlete's stature")
    value = measure.value
    measure = replace(measure, sigma=hypot(measure.sigma, ref.error(test.plus, lift)))
    worst = max(limits, key=lambda p: value - p[0] if p[1] == "above" else p[0] - value)
    beyond = value - worst[0] if worst[1] == "above" else worst[0] - value
    rough = measure.sigma > TOO_ROUGH.get(measure.unit, inf)
    if rough and abs(beyond) < GOOD_SIGMAS * measure.sigma:
        error = show_error(measure.sigma, measure.unit)
        return f"was measured too roughly to tell (± {error}); mark the joints there"
    outcome = _Outcome(beyond, worst[0], measure, test)
    if test.also is not None:
        second = _try(test.also, measures, ref, lift)
        if isinstance(second, str):
            return second
        if second.beyond <= 0 < beyond:
            return _Outcome(second.beyond, worst[0], measure, test)
    return outcome


def _sure(outcome: _Outcome) -> float:
    """Probability that the true value is past the limit, from the measurement's error."""
    sigma = outcome.measure.sigma
    return NormalDist().cdf(outcome.beyond / sigma) if sigma > 0 else float(outcome.beyond > 0)


def judge(
    lift: Lift, measures: Measures, events: Events, ref: Reference, view: str = "side"
) -> Verdict:
    """Judge one rep.

    Args:
        lift: what was lifted.
        measures: from ``measure_rep``.
        events: from ``find_events``.
        ref: the athlete's own lengths.
        view: "side" or "front", where the camera stood.

    Returns:
        Findings (worst first, roots before what follows from them), good points, and what
        could not be judged with the reason.
    """
    findings: list[Finding] = []
    good: list[tuple[float, str]] = []
    open_: list[tuple[str, str]] = []
    judged = 0
    for fault in all_faults().values():
        if not fault.belongs_to(lift):
            continue
        if fault.view != view and not _measured(fault, lift, measures):
            open_.append((fault.id, f"needs a {fault.view} view"))
            continue
        tests = fault.tests_for(lift)
        outcomes = [_try(t, measures, ref, lift) for t in tests]
        if outcomes and all(o == NOT_THIS_LIFT for o in outcomes):
            continue
        known = [o for o in outcomes if not isinstance(o, str)]
        crossed = [o for o in known if o.beyond > 0 and _sure(o) >= LIKELY]
        if crossed:
            judged += 1
            findings.append(_finding(fault, crossed, events))
        elif not known or (len(known) < len(outcomes) and _decisive(outcomes)):
            why = next((o for o in outcomes if isinstance(o, str)), "")
            open_.append((fault.id, why or fault.unjudged or "needs the coach's own eye"))
        elif past := [o for o in known if o.beyond > 0]:
            open_.append((fault.id, _too_close(max(past, key=_sure))))
        else:
            judged += 1
            margin = _margin(known)
            if fault.keep and margin is not None:
                good.append((margin, _praise(fault, known)))
    ordered = _roots_first(findings)
    good.sort(key=lambda g: -g[0])
    return Verdict(
        tuple(ordered), tuple(text for _, text in good[:MOST_GOOD]), tuple(open_), judged
    )


def _measured(fault: Fault, lift: Lift, measures: Measures) -> bool:
    """Whether a film from between side and front shows what a fault of the other view needs."""
    names = [t.metric for t in fault.tests_for(lift)]
    return any(n in measures and measures[n].value is not None for n in names)


def joined(one: Verdict, other: Verdict) -> Verdict:
    """Two verdicts on the parts of one rep as one, each fault once."""
    found = {f.fault: f for f in (*other.findings, *one.findings)}
    open_ = {k: why for k, why in (*other.not_judged, *one.not_judged) if k not in found}
    good = tuple(dict.fromkeys((*one.good, *other.good)))[:MOST_GOOD]
    ordered = _roots_first(list(found.values()))
    return Verdict(tuple(ordered), good, tuple(open_.items()), one.judged + other.judged)


def _decisive(outcomes: list[_Outcome | str]) -> bool:
    """Whether what is missing is the fault's first and main measure."""
    return isinstance(outcomes[0], str)


def _margin(known: list[_Outcome]) -> float | None:
    """How well inside every limit, in its own errors; None when not well inside."""
    notes = [o for o in known if o.test.severity == "note"] or known
    sigmas = [-o.beyond / max(o.measure.sigma, 1e-6) for o in notes]
    if any(_as_far_behind(o) for o in notes):
        return None
    shares = [-o.beyond / max(abs(o.limit), 1.0) for o in notes]
    return min(shares) if min(sigmas) >= GOOD_SIGMAS else None


def _as_far_behind(o: _Outcome) -> bool:
    """Whether a distance that may be so large one way is as large the other way."""
    assert o.measure.value is not None
    distance = o.measure.unit == "mm" and o.test.relation == "above"
    return distance and 0.0 < o.limit < -o.measure.value


def show_value(value: float, unit: str, signed: bool = False) -> str:
    """A value with its unit, in digits that mean something."""
    plus = "+" if signed else ""
    if unit == "deg":
        return f"{value:{plus}.0f}°"
    if unit == "mm":
        return f"{value / 10:{plus}.1f} cm"
    if unit == "m/s":
        return f"{value:{plus}.2f} m/s"
    if unit == "ms":
        return f"{value:{plus}.0f} ms"
    return f"{value:{plus}.2f}"


def show_error(sigma: float, unit: str) -> str:
    """A standard deviation with its unit; never as if there were none."""
    least = {"mm": 1.0, "deg": 1.0, "ms": 1.0}.get(unit, 0.01)
    return show_value(max(sigma, least), unit)


def _too_close(o: _Outcome) -> str:
    """What to say of a value that is past its limit by less than it takes to be sure."""
    e = _evidence(o)
    shown, limit = show_value(e.value, e.unit), show_value(e.limit, e.unit)
    error = show_error(e.sigma, e.unit)
    return f"is too close to its limit to tell: {e.label} ({shown} ± {error}, limit {limit})"


def _praise(fault: Fault, known: list[_Outcome]) -> str:
    m = known[0].measure
    assert m.value is not None
    if m.unit == "1" or (m.unit == "ms" and m.value < 0.0):
        return fault.keep  # a share, or a lead that is none, says nothing to a reader
    return f"{fault.keep} ({show_value(m.value, m.unit)})"


def _finding(fault: Fault, crossed: list[_Outcome], events: Events) -> Finding:
    severity = "note"
    for o in crossed:
        certain = o.beyond > o.measure.sigma
        if certain and o.test.severity == "stop":
            severity = "stop"
        elif certain and o.test.severity == "fix" and severity != "stop":
            severity = "fix"
    by_metric: dict[str, _Outcome] = {}
    for o in sorted(crossed, key=lambda o: o.beyond):
        by_metric[o.test.metric] = o  # the largest excess is past the mildest limit
    lead = max(by_metric.values(), key=_sure)
    evidence = tuple(_evidence(o) for o in sorted(by_metric.values(), key=lambda o: o is not lead))
    at = lead.measure.at
    if at is None:
        at = events.get(fault.event) or events["lift_off"] or 0
    event = events.get(fault.event)
    first, last = sorted((at, event if event is not None else at))
    e = evidence[0]
    word = "up to" if e.relation == "above" else "at least"
    says = (
        f"{fault.title}: {e.label} {show_value(e.value, e.unit)}, "
        f"wants {word} {show_value(e.limit, e.unit)}."
    )
    confidence = round(max(_sure(o) for o in by_metric.values()), 3)
    return Finding(fault.id, severity, at, first, last, confidence, evidence, says)


def _evidence(o: _Outcome) -> Evidence:
    assert o.measure.value is not None
    side = "above" if o.measure.value > o.limit else "below"
    return Evidence(
        o.test.metric, o.test.label, o.measure.value, o.measure.sigma, o.limit, o.measure.unit, side
    )


def _roots_first(findings: list[Finding]) -> list[Finding]:
    """Worst first; a finding whose cause is found too, and surely enough, comes after it and names
    it.
    """
    faults = all_faults()
    present = {f.fault for f in findings if f.confidence >= CLOSE}
    rank = {"stop": 0, "fix": 1, "note": 2}
    named = []
    for f in findings:
        cause = next((c for c in faults[f.fault].follows if c in present), "")
        named.append(Finding(**{**f.__dict__, "follows": cause}))
    order = {name: i for i, name in enumerate(faults)}
    named.sort(
        key=lambda f: (
            f.severity == "stop" and -1,
            bool(f.follows),
            rank[f.severity],
            order[f.fault],
        )
    )
    return named
