"""Film the demo club with the simulated lifter: clip, the coach's marks, the tracks.

Run from the project's root:  python tools/make_demo_clips.py [KEY ...]
"""

from __future__ import annotations

import csv
import json
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np

from keenkettle.club.climbing import said_of
from keenkettle.club.demo_people import DemoAthlete, DemoClip, demo_clips
from keenkettle.club.tracks import pack
from keenkettle.coach.judge import Reference
from keenkettle.coach.review import Request, Review, review_clip
from keenkettle.film.clip import Clip
from keenkettle.film.joints import read_marks
from keenkettle.film.plausible import Marks
from keenkettle.lifter.camera import fitted_camera
from keenkettle.lifter.film import Encoding, frame_times, picture_truth, write_film
from keenkettle.lifter.front import SideFaults, make_front
from keenkettle.lifter.front_film import front_camera, write_front
from keenkettle.lifter.motion import build_motion
from keenkettle.lifter.recipe import recipe_for
from keenkettle.lifter.render import Look
from keenkettle.lifter.repeated import BACK_S, set_of
from keenkettle.lifter.truth import truth_of

OUT = Path(__file__).parent.parent / "src" / "keenkettle" / "demo"
LOOKS = (
    Look(),
    Look(wall=(120, 132, 138), floor=(70, 66, 62), shirt=(36, 72, 92), shorts=(28, 28, 32),
         disc=(150, 46, 40), stripe=(232, 228, 220), hair=(150, 110, 60), seed=4),
    Look(wall=(168, 158, 142), floor=(84, 92, 84), shirt=(92, 96, 60), shorts=(52, 40, 44),
         disc=(44, 62, 110), stripe=(230, 226, 216), hair=(170, 168, 164), seed=9),
)  # fmt: skip
MARK_S = 0.16  # a careful coach marks six frames a second, and the second pull densely
CLICK_PX = 1.3


def make(member: DemoAthlete, clip: DemoClip) -> None:
    """Write one clip and its marks (unless they are there), and its tracks."""
    if clip.front is not None:
        make_from_front(member, clip, clip.front)
        return
    path, said = OUT / f"{clip.key}.mp4", OUT / f"{clip.key}.csv"
    if path.exists() and said.exists():
        with Clip(path) as film:
            marks = read_marks(said, film.info.frames)
    else:
        marks = film_and_mark(member, clip, path, said)
    review = review_clip(
        Request(path, lift=clip.lift, marks=marks, reference=Reference(member.stature_mm))
    )
    keep(clip.key, review, True)


def film_and_mark(member: DemoAthlete, clip: DemoClip, path: Path, said: Path) -> Marks:
    """Film a lift and mark it as a careful coach does."""
    one = recipe_for(clip.lift, member.stature_mm, clip.faults)
    efforts = clip.efforts or (1.0,)
    reps = [build_motion(replace(one, effort=effort)) for effort in efforts]
    sim = reps[0] if len(reps) == 1 else set_of(reps)
    camera = fitted_camera(
        1280, 720, 60.0, max(member.stature_mm, 1650.0), yaw_deg=clip.yaw_deg, facing=clip.facing
    )
    times = frame_times(sim, camera)
    write_film(sim, camera, LOOKS[clip.look], path, Encoding(crf=24))
    pictures = picture_truth(sim, camera, times)
    rng = np.random.default_rng(sum(map(ord, clip.key)))
    marks: Marks = {}
    wanted = {0, *range(36, len(times) - 30, round(MARK_S * camera.fps)), len(times) - 2}
    begun_s = 0.0
    for rep in reps:
        event_s = truth_of(rep).event_s
        first = event_s["knee_pass" if clip.efforts == () else "lift_off"] + begun_s
        last = event_s["extension"] + begun_s
        wanted |= set(range(int(first * camera.fps), int(last * camera.fps) + 7, 3))
        begun_s += float(rep.t_s[-1]) + BACK_S
    with said.open("w", newline="", encoding="utf-8") as handle:
        out = csv.writer(handle, lineterminator="\n")
        out.writerow(["frame", "joint", "x", "y"])
        for frame in sorted(wanted):
            for joint, xy in pictures.items():
                if joint == "bar":
                    continue
                x, y = (xy[frame] + rng.normal(0.0, CLICK_PX, 2)).round(1)
                marks.setdefault(joint, {})[frame] = (float(x), float(y))
                out.writerow([frame, joint, x, y])
    return marks


def make_from_front(member: DemoAthlete, clip: DemoClip, faults: SideFaults) -> None:
    """The same for a film from the front, on which nobody marks anything."""
    path = OUT / f"{clip.key}.mp4"
    if not path.exists():
        front = make_front(
            build_motion(recipe_for(clip.lift, member.stature_mm, clip.faults)), faults
        )
        write_front(front, front_camera(member.stature_mm), LOOKS[clip.look], path)
    reference = Reference(member.stature_mm)
    request = Request(path, lift=clip.lift, reference=reference, auto=True, view="front")
    keep(clip.key, review_clip(request), False)


def keep(key: str, review: Review, found: bool) -> None:
    """Write a clip's tracks and what they say."""
    (OUT / f"{key}.npz").write_bytes(pack(review, 0.15, found))
    (OUT / f"{key}.json").write_text(json.dumps(said_of(review), indent=1) + "\n")
    for rep in review.reps:
        print(key, [f.says for f in rep.verdict.findings], rep.verdict.good, flush=True)


if __name__ == "__main__":
    for member, clip in demo_clips():
        if not sys.argv[1:] or clip.key in sys.argv[1:]:
            make(member, clip)
