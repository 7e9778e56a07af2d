"""Rendered frames of random fields on the demo rig's camera."""

import numpy as np

from vigil.documents.rig import Rig
from vigil.simulator.above.light import OPEN_BAND, Light
from vigil.simulator.chance import generator
from vigil.simulator.frame.scene import Aim, Blur, Scene, Sensor, Shade, Sky


def field_scene(rig: Rig, number: int) -> Scene:
    """A random place and rotation under a random sky, 4 s through L."""
    rng = generator(405, "field", number)
    camera, telescope = rig.camera, rig.telescope
    point = camera.at_gain(100)
    return Scene(
        noise_key=(405, "field", number),
        aim=Aim(
            float(rng.uniform(0, 360)),
            float(np.degrees(np.arcsin(rng.uniform(-1, 1)))),
            float(rng.uniform(0, 360)),
        ),
        scale_arcsec_px=rig.scale_arcsec_px(),
        exposure_s=4.0,
        light=Light(np.pi / 400 * telescope.aperture_mm**2, 0.6, OPEN_BAND, 0.0, 0.0),
        sensor=Sensor(
            shape=rig.field_px(),
            pixel_um=camera.pixel_um,
            binning=1,
            electrons_per_adu=point.electrons_per_adu,
            bias_adu=500.0,
            read_noise_e=point.read_noise_e,
            full_well_e=point.full_well_e,
            full_scale_adu=camera.full_scale_adu,
            dark_e_s=0.002,
            hot_share=3e-4,
            hot_seed=405,
        ),
        blur=Blur(round(float(rng.uniform(1.6, 2.4)), 2)),
        shade=Shade(0.18, 6, 405),
        sky=Sky(number, float(rng.uniform(19.5, 21.3))),
    )
