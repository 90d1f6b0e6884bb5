"""Plan all strokes of a part: slices, walls, fillings, supports, start, copies, order."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.geometry.offsets import Loops, inset, loops_of, spacings
from meanbead.core.geometry.scanlines import Lines, scan_lines
from meanbead.core.model.plan import Shape
from meanbead.core.part.slices import Layers
from meanbead.core.part.solid import Solid
from meanbead.core.runtime.alike import ranges
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.elementwise import ElementMemory
from meanbead.core.runtime.parallel import Objects
from meanbead.core.runtime.progress import ProgressCallback, no_progress
from meanbead.core.strokes.choices import LayerChoices, layer_choices
from meanbead.core.strokes.cut import Cut, CutInputs, cut_solid
from meanbead.core.strokes.features import SKIN_FEATURES, Feature
from meanbead.core.strokes.filling import (
    Filled,
    Filling,
    FillInputs,
    SplitRegions,
    lay_skins,
    lay_sparse,
    make_fill,
    skin_patterns,
)
from meanbead.core.strokes.inside import keep_inside
from meanbead.core.strokes.order import Ordered, order_pieces
from meanbead.core.strokes.outline import LaidWalls, Outline, OutlineInputs, make_outline
from meanbead.core.strokes.pieces import Islands, Pieces, join_pieces, line_pieces, loop_pieces, no_pieces
from meanbead.core.strokes.skins import Fill
from meanbead.core.strokes.stage import Remembered, StageInputs, remembered
from meanbead.core.strokes.start import brim, raft, skirt, with_raft
from meanbead.core.strokes.supports import Scaffold, ScaffoldInputs, find_supports
from meanbead.core.strokes.table import Hanging, LayerAreas, Strokes

__all__ = ["StrokePlanner", "StrokesInputs", "lay_strokes", "plan_strokes"]

_NONE = shapely.MultiPolygon()
_INTERFACE_SPACINGS = 1.2
"""Lines of a support's interface stand this many spacings apart: close enough to carry, open enough to part."""


@dataclass(frozen=True)
class StrokesInputs(StageInputs):
    """All that decides where strokes go; ``chosen`` bool (layers,), None for all layers."""

    solid: Solid
    shape: Shape
    chosen: NDArray[np.bool_] | None


class StrokePlanner:
    """Plans strokes, and remembers each stage by just the inputs that it reads: a changed infill reruns no walls."""

    def __init__(self, cache_bytes: int = 512 * 1024 * 1024) -> None:
        share = cache_bytes // 8
        self._cuts: BoundedCache[Cut] = BoundedCache(share, lambda cut: cut.nbytes)
        self._outlines: BoundedCache[Outline] = BoundedCache(2 * share, lambda outline: outline.nbytes)
        self._laid: BoundedCache[LaidWalls] = BoundedCache(share, lambda laid: laid.nbytes)
        self._insets = ElementMemory(2 * share)
        self._fills: BoundedCache[Filling] = BoundedCache(share, lambda fill: fill.nbytes)
        self._split: BoundedCache[SplitRegions] = BoundedCache(share // 2, lambda split: split.nbytes)
        self._scaffolds: BoundedCache[Scaffold] = BoundedCache(share // 2, lambda scaffold: scaffold.nbytes)
        self._strokes: BoundedCache[Strokes] = BoundedCache(3 * share, lambda strokes: strokes.nbytes)

    def plan(
        self,
        solid: Solid,
        shape: Shape,
        chosen: NDArray[np.bool_] | None = None,
        progress: ProgressCallback = no_progress,
    ) -> Strokes:
        """Strokes of every layer of a solid, or of chosen ones, bool (layers of the part,), the first among them.

        ``progress`` is told what share is done before each stage; what it raises ends the planning.

        Raises :class:`RecipeError` where the layers or the infill would be absurdly many, or nothing would be laid.
        """
        return self.remembered(StrokesInputs(solid, shape, chosen), progress).value

    def remembered(self, inputs: StrokesInputs, progress: ProgressCallback = no_progress) -> Remembered[Strokes]:
        """Strokes, with the key of what they were planned from."""
        return remembered(self._strokes, inputs, lambda given: self._make(given, progress))

    def cut(self, solid: Solid, shape: Shape) -> Cut:
        """Layers and sections of a solid."""
        return self._cut(solid, shape).value

    def _cut(self, solid: Solid, shape: Shape) -> Remembered[Cut]:
        return remembered(self._cuts, CutInputs.of(solid, shape), cut_solid)

    def _outline(self, inputs: OutlineInputs) -> Outline:
        return make_outline(inputs, self._laid, self._insets)

    def _fill(self, inputs: FillInputs) -> Filling:
        return make_fill(inputs, self._split)

    def _make(self, inputs: StrokesInputs, progress: ProgressCallback) -> Strokes:
        shape, chosen = inputs.shape, inputs.chosen
        progress(0.0, "cutting the part into layers")
        cut = self._cut(inputs.solid, shape)
        progress(0.15, "laying walls")
        choices = layer_choices(shape, cut.value.layers)
        outline = remembered(self._outlines, OutlineInputs.of(cut, chosen, choices, shape), self._outline)
        progress(0.4, "filling tops and floors")
        fill = remembered(self._fills, FillInputs.of(outline, choices, shape), self._fill)
        scaffold = None
        if shape.supports.kind != "none":
            scaffold = remembered(self._scaffolds, ScaffoldInputs(cut, shape.supports), find_supports).value
            if chosen is not None:
                scaffold = scaffold.of_layers(chosen)
        progress(0.5, "laying infill and putting strokes in order")
        return lay_strokes(outline.value, fill.value, choices, scaffold, shape)


def plan_strokes(solid: Solid, shape: Shape) -> Strokes:
    """Strokes of every layer of a solid, without memory; see :class:`StrokePlanner`."""
    return StrokePlanner(0).plan(solid, shape)


def lay_strokes(
    outline: Outline,
    fill: Filling,
    choices: LayerChoices,
    scaffold: Scaffold | None,
    shape: Shape,
) -> Strokes:
    """Lay lines into the filling, add supports, start and copies, and put everything in order."""
    skins, sparse = lay_skins(fill, outline.islands, shape), lay_sparse(fill, outline, choices, shape)
    part = join_pieces([outline.walls, *skins.pieces, *sparse.pieces])
    if not len(part):
        raise RecipeError(
            "Nothing would be laid: the part is thinner than one line everywhere, or has neither walls nor filling.",
            field="line_width_mm.outer_wall",
            remedy="Use a narrower line or a smaller nozzle, or give it walls.",
        )
    areas = _areas(outline, fill, skins, sparse)
    stands, layers, sections = outline.sections[0], outline.layers, outline.sections
    if scaffold is not None:
        part = join_pieces([part, _support_pieces(scaffold, outline, shape)])
        stands = shapely.union_all([stands, scaffold.sparse[0], scaffold.dense[0]])
    shift = 0
    if shape.adhesion == "raft":
        shift, layers = shape.raft_layers, with_raft(layers, shape)
        areas = areas.raised(shift)
    places = _places([stands, *sections], shape)
    together = shape.copies.order == "by_layer"
    moved = [part.moved(place, islands=k * _ISLANDS_PER_COPY, layers=shift) for k, place in enumerate(places)]
    grounds = [shapely.affinity.translate(stands, *place) for place in places]
    if together:
        rows = _ordered([*moved, *_start(shapely.union_all(grounds), shape)], shape)
    else:
        rows = _ordered([moved[0], *_start(grounds[0], shape)], shape)
    bare = rows
    if shape.spiral:
        rows = _without_breaks(rows, shift + shape.bottom_layers, shape)
    if "zigzag" in (shape.skins.pattern, shape.skins.top_pattern, shape.skins.first_layer_pattern):
        rows = _with_turns(rows, shape, shift)
    count = len(places)
    areas = _with_links(areas.times(count if together else 1), bare, rows)
    if shape.travel == "inside" and not shape.spiral:
        bounds = _copied(_with_supports(sections, scaffold), places if together else places[:1])
        rows = keep_inside(rows, _outer_walls(moved if together else moved[:1], shift), bounds, shift)
    if not together and count > 1:
        rows, layers = _one_by_one(rows, layers, places)
        areas = areas.repeated(count)
    return Strokes(
        start_xy=rows.xy[:, 0:2],
        end_xy=rows.xy[:, 2:4],
        width_mm=rows.width_mm,
        height_mm=rows.height_mm,
        feature=rows.feature,
        layer=rows.layer,
        inside=rows.inside,
        layers=layers,
        areas=areas,
        substituted=outline.substituted,
        spiral_from=shift + shape.bottom_layers,
        hanging=_hanging(fill.fill, outline.islands, shift),
        left_out_mm2=0.0 if scaffold is None else scaffold.left_out_mm2,
        ignored=outline.ignored,
    )


_LARGE = 4


def _hanging(fill: Fill, islands: Islands, shift: int) -> Hanging:
    at = np.flatnonzero(fill.hanging_mm2 > 0)
    if not len(at):
        return Hanging()
    parts, source = shapely.get_parts(fill.bridge[at], return_index=True)
    # The widest is among the largest.
    large = np.argsort(-shapely.area(parts), kind="stable")[:_LARGE]
    parts, source = parts[large], source[large]
    width = 2 * shapely.length(shapely.maximum_inscribed_circle(parts, tolerance=0.05))
    widest = int(np.argmax(width))
    layer = int(islands.layer[at[source[widest]]]) + shift
    return Hanging(float(fill.hanging_mm2.sum()), float(width[widest]), layer)


_ISLANDS_PER_COPY = 1 << 40


def _ordered(pieces: list[Pieces], shape: Shape) -> Ordered:
    return order_pieces(join_pieces(pieces), "nearest" if shape.spiral else shape.seam)


def _start(ground: shapely.Geometry, shape: Shape) -> list[Pieces]:
    if ground.is_empty:
        return []
    if shape.adhesion == "skirt" and shape.skirt_loops:
        return [skirt(ground, shape)]
    if shape.adhesion == "brim" and shape.brim_width_mm:
        return [brim(ground, shape)]
    if shape.adhesion == "raft":
        return [raft(ground, shape)]
    return []


def _places(spread: list[shapely.Geometry], shape: Shape) -> list[tuple[float, float]]:
    """Where copies stand: a grid that is as square as it can be, its middle on the origin."""
    count = shape.copies.count
    x0, y0, x1, y1 = shapely.total_bounds(spread)
    margin = shape.copies.gap_mm + (2 * shape.brim_width_mm if shape.adhesion in ("brim", "raft") else 0.0)
    wide, deep = x1 - x0 + margin, y1 - y0 + margin
    columns = min(range(1, count + 1), key=lambda c: (max(c * wide, math.ceil(count / c) * deep), c))
    rows = math.ceil(count / columns)
    return [((k % columns - (columns - 1) / 2) * wide, (k // columns - (rows - 1) / 2) * deep) for k in range(count)]


def _outer_walls(parts: list[Pieces], shift: int) -> Loops:
    """The lines of the outer walls that are whole loops, by layer of the part."""
    pieces = parts[0] if len(parts) == 1 else join_pieces(parts)
    at = np.flatnonzero(pieces.closed & (pieces.feature == Feature.OUTER_WALL))
    at = at[np.argsort(pieces.layer[at], kind="stable")]
    counts = np.diff(pieces.offsets)[at]
    points = pieces.points[ranges(pieces.offsets[at], counts)]
    return Loops(points, np.concatenate([[0], np.cumsum(counts)]).astype(np.int64), pieces.layer[at] - shift)


def _with_supports(sections: Objects, scaffold: Scaffold | None) -> Objects:
    """Sections and what of the supports is laid beside them: travel over either leaves no string that is seen."""
    if scaffold is None:
        return sections
    both = sections.copy()
    for regions in (scaffold.sparse, scaffold.dense):
        at = np.flatnonzero(~shapely.is_empty(regions))
        both[at] = shapely.union(both[at], regions[at])
    return both


def _copied(sections: Objects, places: list[tuple[float, float]]) -> Objects:
    if len(places) == 1 and places[0] == (0.0, 0.0):
        return sections
    return np.array(
        [shapely.union_all([shapely.affinity.translate(section, *place) for place in places]) for section in sections],
        dtype=object,
    )


def _one_by_one(rows: Ordered, layers: Layers, places: list[tuple[float, float]]) -> tuple[Ordered, Layers]:
    """The rows of the first copy again at the other places, with the travel between."""
    parts = [rows]
    origin = np.array(places[0])
    for k, place in enumerate(places[1:], start=1):
        aside = np.tile(np.array(place) - origin, 2)
        copy = replace(rows, xy=rows.xy + aside, layer=(rows.layer + k * len(layers)).astype(np.int32))
        way = np.concatenate([parts[-1].xy[-1, 2:4], copy.xy[0, 0:2]])[None, :]
        travel = Ordered(
            way,
            np.zeros(1),
            np.zeros(1),
            np.array([Feature.TRAVEL], np.uint8),
            copy.layer[:1],
            np.zeros(1, dtype=bool),
        )
        parts.extend((travel, copy))
    names = ("xy", "width_mm", "height_mm", "feature", "layer", "inside")
    joined = Ordered(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))
    count = len(places)
    return joined, Layers(np.tile(layers.top_mm, count), np.tile(layers.height_mm, count))


def _without_breaks(rows: Ordered, first_layer: int, shape: Shape) -> Ordered:
    """Spiral mode: the short steps from one turn to the next are laid, too."""
    link = (rows.feature == Feature.TRAVEL) & (rows.layer > first_layer)
    feature, width, height = rows.feature.copy(), rows.width_mm.copy(), rows.height_mm.copy()
    follows = np.minimum(np.flatnonzero(link) + 1, len(feature) - 1)
    feature[link] = Feature.OUTER_WALL
    width[link], height[link] = rows.width_mm[follows], rows.height_mm[follows]
    return replace(rows, feature=feature, width_mm=width, height_mm=height)


def _with_turns(rows: Ordered, shape: Shape, shift: int) -> Ordered:
    """Zigzag: hops from one skin stroke to the next are laid. ``shift`` is the number of layers under the part's first."""
    before = np.r_[rows.feature[:1], rows.feature[:-1]]
    after = np.r_[rows.feature[1:], rows.feature[-1:]]
    turn = (rows.feature == Feature.TRAVEL) & rows.inside & (before == after) & np.isin(after, SKIN_FEATURES)
    zigzag = np.zeros(len(turn), dtype=bool)
    for feature in SKIN_FEATURES:
        for pattern, where in skin_patterns(shape, feature, np.asarray(rows.layer - shift, dtype=np.int64)):
            if pattern == "zigzag":
                zigzag |= where & (after == feature)
    turn &= zigzag
    at = np.flatnonzero(turn)
    named, inside = rows.feature.copy(), rows.inside.copy()
    width, height = rows.width_mm.copy(), rows.height_mm.copy()
    named[at], width[at], height[at], inside[at] = after[at], rows.width_mm[at + 1], rows.height_mm[at + 1], False
    return replace(rows, feature=named, width_mm=width, height_mm=height, inside=inside)


def _support_pieces(scaffold: Scaffold, outline: Outline, shape: Shape) -> Pieces:
    """Strokes of supports: spaced lines or outlined branches, and the lines of interfaces across them."""
    parts = [no_pieces()]
    number = len(outline.islands)
    for dense, regions in ((False, scaffold.sparse), (True, scaffold.dense)):
        region, layer = shapely.get_parts(regions, return_index=True)
        if not len(region):
            continue
        islands = Islands(np.asarray(region, dtype=object), layer, outline.layers.height_mm[layer])
        width = np.where(layer == 0, shape.width_mm.first_layer, shape.width_mm.infill)
        spacing = spacings(width, islands.height_mm)
        if dense:
            lines = scan_lines(
                islands.region, np.full(len(layer), math.pi / 2), _INTERFACE_SPACINGS * spacing, fit=True
            )
            made = line_pieces(
                lines,
                islands,
                Feature.SUPPORT_INTERFACE,
                0,
                width[lines.region],
                np.full(len(layer), math.pi / 2),
            )
        elif shape.supports.kind == "trees":
            loops = loops_of(inset(islands.region, width / 2))
            made = loop_pieces(loops, islands, Feature.SUPPORT, 0, width[loops.source])
        else:
            pitch = np.full(len(layer), shape.supports.spacing_mm)
            lines = scan_lines(islands.region, np.zeros(len(layer)), pitch, fit=False)
            made = line_pieces(lines, islands, Feature.SUPPORT, 0, width[lines.region], np.zeros(len(layer)))
        parts.append(replace(made, island=made.island + number))
        number += len(islands)
    parts.append(_beam_pieces(scaffold, outline, shape, number))
    return join_pieces(parts)


def _beam_pieces(scaffold: Scaffold, outline: Outline, shape: Shape, number: int) -> Pieces:
    """Lines from tip to tip of trees, each layer's an island of its own, from ``number`` on."""
    line, layer = shapely.get_parts(scaffold.beams, return_index=True)
    kept = shapely.get_type_id(line) == 1
    line, layer = line[kept], layer[kept].astype(np.int64)
    if not len(line):
        return no_pieces()
    ends = shapely.get_coordinates(line).reshape(-1, 4)
    different, region = np.unique(layer, return_inverse=True)
    islands = Islands(np.full(len(different), _NONE, dtype=object), different, outline.layers.height_mm[different])
    lines = Lines(np.column_stack([ends, ends[:, 1]]), region, np.full(len(line), shape.supports.spacing_mm))
    width = np.where(layer == 0, shape.width_mm.first_layer, shape.width_mm.infill)
    made = line_pieces(lines, islands, Feature.SUPPORT, 0, width, np.zeros(len(different)))
    return replace(made, island=made.island + number)


def _areas(outline: Outline, filling: Filling, skins: Filled, sparse: Filled) -> LayerAreas:
    islands, count, fill = outline.islands, len(outline.layers), filling.fill
    bridges = shapely.area(fill.bridge) + shapely.area(fill.over_sparse)
    void = shapely.area(outline.inside) - np.sum([shapely.area(region) for region in fill.regions], axis=0)
    lost = np.maximum(skins.asked_mm2 - skins.laid_mm2, 0.0)

    def by_layer(island_mm2: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(np.bincount(islands.layer, weights=island_mm2, minlength=count), dtype=np.float64)

    walls_laid = outline.asked_mm2 - outline.lost_mm2 + outline.overfilled_mm2
    return LayerAreas(
        asked_mm2=by_layer(outline.asked_mm2 + skins.asked_mm2 + bridges + sparse.asked_mm2),
        laid_mm2=by_layer(walls_laid + skins.laid_mm2 + bridges + sparse.laid_mm2),
        lost_mm2=by_layer(outline.lost_mm2 + lost),
        overfilled_mm2=by_layer(outline.overfilled_mm2 + skins.twice_mm2 + sparse.twice_mm2),
        void_mm2=by_layer(np.where(void > 1e-3, void, 0.0)),
        sparse_mm2=by_layer(sparse.asked_mm2 + sparse.overlap_mm2),
    )


def _with_links(areas: LayerAreas, before: Ordered, after: Ordered) -> LayerAreas:
    """Areas with what is laid on ways that were travel before: nobody asked for it, so it overfills."""
    linked = np.flatnonzero((before.feature == Feature.TRAVEL) & (after.feature != Feature.TRAVEL))
    if not len(linked):
        return areas
    step = after.xy[linked, 2:4] - after.xy[linked, 0:2]
    area = np.hypot(step[:, 0], step[:, 1]) * spacings(after.width_mm[linked], after.height_mm[linked])
    more = np.bincount(after.layer[linked], weights=area, minlength=len(areas.laid_mm2))
    return replace(areas, laid_mm2=areas.laid_mm2 + more, overfilled_mm2=areas.overfilled_mm2 + more)
