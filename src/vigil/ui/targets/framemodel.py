"""The framing being made: where the sensor is to lie, with undo. What is drawn is what is sent."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from vigil.documents.plan import ExposureLine
from vigil.documents.rig import Rig
from vigil.documents.shelf import USUAL_OVERLAP_PERCENT, Framed, Framing, PanelWish, Shelf
from vigil.files.deepsky import DeepSkyObject
from vigil.optics.footprint import Footprint
from vigil.optics.mosaics import Mosaic, panels_to_cover
from vigil.planning.framing import COPIED, copied, mosaic_of
from vigil.planning.guidefield import guide_field
from vigil.planning.offer import field_of
from vigil.ui.undoable import History

_MOST_UNDO = 200


@dataclass(frozen=True, slots=True)
class Frame:
    """One state. `focal_length_mm` tries other optics on the rig's camera; `unlocked` lets the outline turn
    away from a camera that nothing turns."""

    name: str
    entry: DeepSkyObject | None
    framing: Framing
    panels: tuple[PanelWish, ...] = ()
    order: tuple[int, ...] = ()
    lines: tuple[ExposureLine, ...] = ()
    set_point_c: float | None = None
    focal_length_mm: float | None = None
    unlocked: bool = False
    shelf_id: str = ""


class FrameModel(History[Frame]):
    """`changed` follows every edit. Values that can't be raise ValueError with what would be right."""

    def __init__(self, rig: Callable[[], Rig], camera_angle: Callable[[], float | None]) -> None:
        super().__init__()
        self._rig, self._camera_angle = rig, camera_angle
        self.frame: Frame | None = None
        self._mosaic: tuple[object, Mosaic] | None = None
        self._framed: tuple[object, Framed] | None = None
        self._gesture = ""

    # -- what it is ---------------------------------------------------------------------------------------

    @property
    def turns_by_itself(self) -> bool:
        """Whether something can bring the camera to an angle: a rotator that a motor turns."""
        rotator = self._rig().rotator
        return rotator is not None and rotator.by == "motor"

    @property
    def field_deg(self) -> tuple[float, float]:
        """What the sensor's sides subtend, with the optics that are being tried."""
        return field_of(self._rig(), self.frame.focal_length_mm if self.frame is not None else None)

    @property
    def mosaic(self) -> Mosaic | None:
        """The panels; None without a target, or when such a mosaic can't be made."""
        if self.frame is None:
            return None
        key = (self.frame.framing, self.field_deg)
        if self._mosaic is None or self._mosaic[0] != key:
            try:
                self._mosaic = (key, mosaic_of(*key))
            except ValueError:
                return None
        return self._mosaic[1]

    @property
    def sensor(self) -> Footprint | None:
        """One sensor at the framing's centre."""
        if self.frame is None:
            return None
        g = self.frame.framing
        return Footprint(g.ra_deg, g.dec_deg, g.position_angle_deg, *self.field_deg)

    @property
    def guide_field(self) -> Footprint | None:
        """Where the guide camera looks, for the first panel that is to be taken."""
        made, frame = self.mosaic, self.frame
        if made is None or frame is None:
            return None
        order = self.framed().in_order
        panel = made.panels[(order[0] if order else 1) - 1]
        return guide_field(panel.footprint, self._rig())

    def framed(self) -> Framed:
        """As it is kept on the shelf."""
        frame = self._need()
        key = (frame, self.field_deg)
        if self._framed is None or self._framed[0] != key:
            self._framed = (key, self._as_framed(frame))
        return self._framed[1]

    def _as_framed(self, frame: Frame) -> Framed:
        width, height = self.field_deg
        return Framed(
            id=frame.shelf_id or Shelf().unused_id(frame.name),
            name=frame.name,
            framing=frame.framing,
            field_width_deg=width,
            field_height_deg=height,
            lines=list(frame.lines),
            panels=list(frame.panels),
            order=list(frame.order),
            set_point_c=frame.set_point_c,
        )

    # -- another target -----------------------------------------------------------------------------------

    def show_object(self, entry: DeepSkyObject) -> None:
        self._start(entry.name, entry, entry.ra_deg, entry.dec_deg)

    def show_place(self, name: str, ra_deg: float, dec_deg: float) -> None:
        self._start(name, None, ra_deg % 360, dec_deg)

    def show_framed(self, framed: Framed, entry: DeepSkyObject | None) -> None:
        """From the shelf."""
        self._step(
            f"taking {framed.name} from the shelf",
            Frame(
                framed.name,
                entry,
                framed.framing,
                tuple(framed.panels),
                tuple(framed.order),
                tuple(framed.lines),
                framed.set_point_c,
                None,
                True,
                framed.id,
            ),
        )

    def match(self, picture: str, name: str, entry: DeepSkyObject | None, foot: Footprint) -> None:
        """Centre and rotation of an earlier frame, exactly; what was framed before keeps its lines where it
        is the same target."""
        framing = Framing(
            ra_deg=foot.ra_deg % 360,
            dec_deg=foot.dec_deg,
            position_angle_deg=foot.position_angle_deg % 360,
        )
        before = self.frame
        if before is not None and before.name == name:
            changed = replace(
                before, framing=framing, entry=entry or before.entry, unlocked=True, panels=(), order=()
            )
        else:
            changed = Frame(name, entry, framing, unlocked=True)
        self._step(f"matching {picture}", changed)

    def _start(self, name: str, entry: DeepSkyObject | None, ra_deg: float, dec_deg: float) -> None:
        angle = self._camera_angle()
        framing = Framing(ra_deg=ra_deg, dec_deg=dec_deg, position_angle_deg=(angle or 0.0) % 360)
        before = self.frame
        focal = before.focal_length_mm if before is not None else None
        self._step(f"choosing {name}", Frame(name, entry, framing, focal_length_mm=focal))

    # -- edits --------------------------------------------------------------------------------------------

    def move_to(self, ra_deg: float, dec_deg: float, gesture: str = "") -> None:
        self._frame("moving the frame", gesture, ra_deg=ra_deg % 360, dec_deg=max(-90.0, min(90.0, dec_deg)))

    def rotate_to(self, angle_deg: float, gesture: str = "") -> None:
        why = self.angle_locked
        if why:
            raise ValueError(why)
        self._frame("turning the frame", gesture, position_angle_deg=angle_deg % 360)

    @property
    def angle_locked(self) -> str:
        """Why the outline keeps the camera's angle; empty when it may turn."""
        if self.frame is None or self.frame.unlocked or self.turns_by_itself:
            return ""
        if self._camera_angle() is None:
            return ""
        return "nothing turns this camera: unlock the angle, and turn it by hand in the night"

    def unlock(self, on: bool) -> None:
        frame = replace(self._need(), unlocked=on)
        angle = self._camera_angle()
        if not on and angle is not None and not self.turns_by_itself:
            frame = replace(
                frame, framing=frame.framing.model_copy(update={"position_angle_deg": angle % 360})
            )
        self._step("unlocking the angle" if on else "locking the angle", frame)

    def follow_camera(self) -> None:
        """The camera's angle became known, or changed: a locked outline goes with it."""
        angle, frame = self._camera_angle(), self.frame
        if angle is None or frame is None or frame.unlocked or self.turns_by_itself:
            return
        if abs(frame.framing.position_angle_deg - angle) > 0.02:
            self.frame = replace(
                frame, framing=frame.framing.model_copy(update={"position_angle_deg": angle % 360})
            )
            self.changed.emit()

    def quarter_turn(self) -> None:
        self.rotate_to(self._need().framing.position_angle_deg + 90)

    def snap_to_centre(self) -> None:
        entry = self._need().entry
        if entry is None:
            raise ValueError("this place is no catalogue object: it has no centre of its own")
        self.move_to(entry.ra_deg, entry.dec_deg)

    def snap_to_axis(self) -> None:
        """The sensor's longer side along the object's."""
        entry = self._need().entry
        if entry is None or entry.position_angle_deg is None:
            raise ValueError("the catalogue knows no long axis of this object")
        wide, high = self.field_deg
        self.rotate_to(entry.position_angle_deg if high >= wide else entry.position_angle_deg - 90)

    def snap_to_camera(self) -> None:
        angle = self._camera_angle()
        if angle is None:
            raise ValueError("the camera's angle isn't known yet: solve a frame first")
        self._frame("taking the camera's angle", "", position_angle_deg=angle % 360)

    def set_grid(self, columns: int | None = None, rows: int | None = None) -> None:
        g = self._need().framing
        columns, rows = columns or g.columns, rows or g.rows
        if not (1 <= columns <= 10 and 1 <= rows <= 10):
            raise ValueError(f"{columns} × {rows} panels: 1 to 10 each way")
        self._grid("changing the panels", columns, rows, g.overlap_percent)

    def set_overlap(self, percent: float) -> None:
        if not 0 <= percent <= 90:
            raise ValueError(f"overlap: {percent:g} % is not possible; 0 to 90")
        g = self._need().framing
        self._grid("changing the overlap", g.columns, g.rows, percent)

    def follow_sphere(self, on: bool) -> None:
        """Whether each panel has an angle of its own, parallel to its neighbours, or all have one."""
        g = self._need().framing
        if g.follow_sphere != on:
            changed = g.model_copy(update={"follow_sphere": on})
            self._grid("the panels' angles", g.columns, g.rows, g.overlap_percent, changed)

    def usual_overlap(self) -> None:
        self.set_overlap(USUAL_OVERLAP_PERCENT)

    def cover(self) -> None:
        """As many panels as cover the object, at the frame's angle."""
        frame, sensor = self._need(), self.sensor
        entry = frame.entry
        if entry is None or entry.major_arcmin <= 0 or sensor is None:
            raise ValueError("the catalogue knows no size of this object")
        minor = entry.minor_arcmin or entry.major_arcmin
        columns, rows = panels_to_cover(
            sensor,
            entry.major_arcmin / 60,
            minor / 60,
            entry.position_angle_deg or 0.0,
            frame.framing.overlap_percent / 100,
        )
        framing = {"ra_deg": entry.ra_deg, "dec_deg": entry.dec_deg}
        g = frame.framing.model_copy(update=framing)
        self._grid(f"covering {entry.name}", columns, rows, g.overlap_percent, g)

    def _grid(self, words: str, columns: int, rows: int, overlap: float, base: Framing | None = None) -> None:
        frame = self._need()
        g = base or frame.framing
        changed = g.model_copy(update={"columns": columns, "rows": rows, "overlap_percent": overlap})
        mosaic_of(changed, self.field_deg)
        same = (columns, rows) == (frame.framing.columns, frame.framing.rows)
        # the numbers mean other panels now
        kept = (frame.panels, frame.order) if same else ((), ())
        self._step(words, replace(frame, framing=changed, panels=kept[0], order=kept[1]))

    def try_optics(self, focal_length_mm: float | None) -> None:
        if focal_length_mm is not None and not 5 <= focal_length_mm <= 20_000:
            raise ValueError(f"a focal length of {focal_length_mm:g} mm is not possible; 5 to 20 000")
        self._step("trying other optics", replace(self._need(), focal_length_mm=focal_length_mm))

    def take_over(self, words: str, **values: object) -> None:
        """Several fields of the frame in one step of undo."""
        self._step(words, replace(self._need(), **values))  # type: ignore[arg-type]

    def set_lines(self, lines: list[ExposureLine]) -> None:
        self._step("changing the exposure lines", replace(self._need(), lines=tuple(lines)))

    def copy_lines(self, numbers: list[int], what: str = COPIED[0]) -> None:
        """The target's lines to chosen panels; `what` of them is one of `COPIED`."""
        frame = self._need()
        panels = {p.number: p for p in frame.panels}
        for n in numbers:
            wish = panels.get(n, PanelWish(number=n))
            panels[n] = wish.model_copy(update={"lines": copied(list(frame.lines), wish.lines, what)})
        self._step("copying the lines", replace(frame, panels=_tidy(panels)))

    def wish(self, number: int, **values: object) -> None:
        """What differs for a panel: `name`, `left_out`, `lines`."""
        frame = self._need()
        panels = {p.number: p for p in frame.panels}
        old = panels.get(number, PanelWish(number=number))
        panels[number] = PanelWish.model_validate({**old.model_dump(), **values})
        self._step(f"changing panel {number}", replace(frame, panels=_tidy(panels)))

    def move_panel(self, number: int, by: int) -> None:
        """Earlier or later among the panels that are taken."""
        frame = self._need()
        count = frame.framing.count
        order = [*frame.order, *(n for n in range(1, count + 1) if n not in frame.order)]
        here = order.index(number)
        there = here + by
        if 0 <= there < count:
            order[here], order[there] = order[there], order[here]
            kept = tuple(order) if order != list(range(1, count + 1)) else ()
            self._step(f"moving panel {number}", replace(frame, order=kept))

    # -- undo ---------------------------------------------------------------------------------------------

    def _now(self) -> Frame:
        return self._need()

    def _put(self, state: Frame) -> None:
        self.frame, self._gesture = state, ""
        self.changed.emit()

    def end_gesture(self) -> None:
        """A drag is over: the next one is another step of undo."""
        self._gesture = ""

    def _frame(self, words: str, gesture: str, **values: object) -> None:
        frame = self._need()
        self._step(words, replace(frame, framing=frame.framing.model_copy(update=values)), gesture)

    def _step(self, words: str, frame: Frame, gesture: str = "") -> None:
        if frame == self.frame:
            return
        if self.frame is not None and not (gesture and gesture == self._gesture):
            self._before.append((words, self.frame))
            del self._before[:-_MOST_UNDO]
        self._gesture = gesture
        self._after.clear()
        self.frame = frame
        self.changed.emit()

    def _need(self) -> Frame:
        if self.frame is None:
            raise ValueError("choose a target first")
        return self.frame


def _tidy(panels: dict[int, PanelWish]) -> tuple[PanelWish, ...]:
    return tuple(p for _, p in sorted(panels.items()) if p != PanelWish(number=p.number))
