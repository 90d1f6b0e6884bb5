"""House rules: which convention a workshop follows where good practitioners disagree. The first of each is the default."""

from __future__ import annotations

from typing import Literal

from meanbead.core.model.base import Model

__all__ = ["HouseRules"]


class HouseRules(Model):
    """One convention a topic. Names and reasons stand in ``rules/conventions.toml``; see :mod:`meanbead.core.rules.conventions`."""

    layer_height_ceiling: Literal["four_fifths", "three_quarters"] = "four_fifths"
    line_width: Literal["a_little_wider", "as_bore", "quarter_wider", "wide_inside", "wide", "narrow"] = (
        "a_little_wider"
    )
    layer_heights: Literal["any", "full_steps"] = "any"
    temperature: Literal["by_flow", "ten_a_size", "leave"] = "by_flow"
    strength: Literal["more_walls", "denser", "doubled_lines", "adaptive"] = "more_walls"
    everyday_nozzle: Literal["0.4", "0.6", "one_each", "coarse_then_fine"] = "0.4"
    pace: Literal["slow_outside", "one_pace"] = "slow_outside"
    smooth_top: Literal["in_order", "one_way", "ironing", "face_down"] = "in_order"
    adhesion: Literal["by_risk", "brim_for_warp", "raft"] = "by_risk"
    seam: Literal["hidden", "scattered"] = "hidden"
    retraction: Literal["long_minimum", "every_hop"] = "long_minimum"
