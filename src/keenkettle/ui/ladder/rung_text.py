"""Everything that a rung says, as one readable page."""

from __future__ import annotations

from html import escape

from keenkettle.coach.cautions import cautions_for
from keenkettle.coach.ladders import Rung
from keenkettle.coach.lifts import all_lifts
from keenkettle.coach.schools import all_schools

MOST = 1  # caution on the page, the most weighty; the rest is on the card


def rung_html(rung: Rung, number: int, who: frozenset[str], quiet: str, accent: str) -> str:
    """The page for whoever is in hand; colours are those of the theme."""

    def part(title: str, body: str) -> str:
        return f'<p style="margin:8px 0 2px 0; color:{quiet}; font-weight:600">{title}</p>{body}'

    def listed(items: list[str]) -> str:
        return "".join(f'<p style="margin:1px 0 1px 10px">{i}</p>' for i in items)

    lifts_of = [all_lifts()[x] for x in rung.lifts]
    careful = listed([escape(c) for c in cautions_for(lifts_of, who, MOST)])
    how = listed([escape(x) for x in rung.how])
    points: dict[str, list[str]] = {}
    for c in rung.checkpoints:
        points.setdefault(c.at, []).append(f"{escape(c.joint)} {c.low:g} to {c.high:g}°")
    seen = listed([f"<b>{escape(at)}</b>: {', '.join(a)}" for at, a in points.items()])
    cues = listed([f'<span style="color:{accent}">{escape(c)}</span>' for c in rung.cues])
    wrong = listed([f"{escape(m.sees)}: <i>{escape(m.do)}</i>" for m in rung.mistakes])
    week = " to ".join(str(n) for n in rung.sessions_a_week)
    stay = " to ".join(str(n) for n in rung.stay)
    lifts = ", ".join(x.name for x in lifts_of)
    dose = (
        f"{escape(rung.dose)}, {week} times a week, usually {stay} sessions; {escape(rung.load)}"
        f'<br><span style="color:{quiet}">{escape(lifts)}. For {escape(rung.suits)}.</span>'
    )
    return (
        f'<p style="font-size:18px; font-weight:600; margin:0">{number}  {escape(rung.title)}</p>'
        f'<p style="margin:2px 0 4px 0">{escape(rung.teaches)}</p>'
        + part("Dose and load", f'<p style="margin:1px 0">{dose}</p>')
        + (part("Take care", careful) if careful else "")
        + part("How", how)
        + part("Say", cues)
        + part("Look for", seen)
        + part("If you see", wrong)
    )


def schools_html(quiet: str, accent: str) -> str:
    """Where schools of teaching differ; colours are those of the theme."""
    parts = ['<p style="font-size:18px; font-weight:600">Where schools differ</p>']
    for q in all_schools().values():
        parts.append(
            f'<p style="margin:8px 0 1px 0"><b>{escape(q.asks)}</b></p>'
            f'<p style="margin:1px 0 1px 10px">{escape(q.one)}; or: {escape(q.other)}</p>'
            f'<p style="margin:1px 0 1px 10px; color:{accent}">Default: {escape(q.default)}</p>'
            f'<p style="margin:1px 0 1px 10px; color:{quiet}">{escape(q.why)}</p>'
        )
    return "".join(parts)
