"""A target put into a plan as Targets does it."""

from vigil.documents.plan import Block
from vigil.documents.shelf import Framed, Framing, Shelf
from vigil.planning.framing import blocks_of
from vigil.ui.planmodel import PlanModel


def add_target(plan: PlanModel, name: str, ra_deg: float, dec_deg: float) -> Block:
    """With the span and the lines of the plan's last block."""
    framed = Framed(id=Shelf().unused_id(name), name=name, framing=Framing(ra_deg=ra_deg, dec_deg=dec_deg))
    used = {b.id for b in plan.plan.blocks}
    blocks = blocks_of(framed, (1.35, 1.35), used, plan.usual_span, otherwise=plan.usual_lines)
    plan.add_blocks(name, blocks)
    return blocks[0]
