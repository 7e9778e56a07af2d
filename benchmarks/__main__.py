"""`./dev bench [NAME]`: exits with 1 when a ratio passes its limit."""

import subprocess
import sys

import numpy as np
import sep

from benchmarks import drawing, focusing, guiding, ledger, rehearsal, solving, targets, window
from benchmarks.ratio import Ratio, compare
from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from vigil.imaging import stars
from vigil.imaging.measuring import measure_image
from vigil.simulator.frame.draw import draw


def help_start() -> Ratio:
    """`vigil --help` against a bare interpreter."""

    def run(*words: str) -> None:
        subprocess.run([sys.executable, *words], stdout=subprocess.DEVNULL, check=True)

    return compare("vigil --help", lambda: run("-m", "vigil", "--help"), lambda: run("-c", "pass"), 6.0, 15)


def measuring() -> Ratio:
    """A 9-megapixel frame measured against the bare sep calls with the same arguments."""
    image = draw(field_scene(demo_rig(), 5))

    def bare() -> None:
        data = image.astype(np.float32)
        background = sep.Background(data, bw=stars.BACKGROUND_MESH_PX, bh=stars.BACKGROUND_MESH_PX)
        background.subfrom(data)
        found = sep.extract(
            data,
            stars.THRESHOLD_SIGMA,
            err=background.globalrms,
            minarea=stars.MIN_AREA_PX,
            filter_kernel=None,
            deblend_cont=stars.DEBLEND_CONTRAST,
        )
        radius = stars.FLUX_RADIUS_AXES * np.maximum(found["a"], 1.0)
        sep.flux_radius(data, found["x"], found["y"], radius, 0.5, subpix=5)

    return compare("9-megapixel frame measured", lambda: measure_image(image, 65535.0), bare, 1.3)


BENCHMARKS = {
    "help": help_start,
    "measure": measuring,
    "draw": lambda: drawing.drawing("9", bright=True),
    "draw-faint": lambda: drawing.drawing("9", bright=False),
    "draw-large": lambda: drawing.drawing("26", bright=True),
    "draw-large-faint": lambda: drawing.drawing("26", bright=False),
    "draw-memory": drawing.memory,
    "near": lambda: solving.solving("near"),
    "blind": lambda: solving.solving("blind"),
    "near-unsolved": lambda: solving.unsolved("near"),
    "blind-unsolved": lambda: solving.unsolved("blind"),
    "solve-memory": solving.memory,
    "search": targets.keystroke,
    "search-misspelt": lambda: targets.keystroke(misspelt=True),
    "ranking": targets.ranking,
    "chart": targets.chart,
    "chart-moving": lambda: targets.chart(moving=True),
    "focus": focusing.fitting,
    "guide": guiding.pulses,
    "guide-others": lambda: guiding.pulses(others=True),
    "rehearsal": rehearsal.night,
    "ledger-projects": ledger.projects,
    "ledger-nights": ledger.all_nights,
    "ledger-verdicts": ledger.verdicts,
    "ledger-across": ledger.across,
    "ledger-memory": ledger.memory,
    "window": window.first_picture,
    "frame": window.frame_on_screen,
    "pan": window.panning,
    "zoom": window.zooming,
    "stretch": window.stretching,
}


def main(names: list[str]) -> int:
    unknown = [name for name in names if name not in BENCHMARKS]
    if unknown:
        print(f"no benchmark {', '.join(unknown)}; there are {', '.join(BENCHMARKS)}", file=sys.stderr)
        return 2
    ratios = [BENCHMARKS[name]() for name in names or BENCHMARKS]
    for ratio in ratios:
        print(ratio)
    return int(any(ratio.ratio > ratio.limit for ratio in ratios))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
