"""The sky above the air."""

from typing import Annotated

from pydantic import Field

from vigil.documents.rig.part import NotNegative, Part, Shown


class PlacedMoon(Part):
    """A moon that stands still, instead of the real one."""

    illumination: Annotated[float, Field(ge=0, le=1), Shown("lit", help="share of its disc")] = 1.0
    apart_deg: Annotated[float, Field(ge=0, le=180), Shown("from the telescope's aim", "°")] = 40.0
    altitude_deg: Annotated[float, Field(gt=0, le=90), Shown("altitude", "°")] = 45.0


class SkyEffects(Part):
    """Stars, nebulae, and what makes the sky bright. Brightnesses in V, magnitudes a square arc-second."""

    catalogue_errors: Annotated[
        bool, Shown("differs from the catalogue", help="stars moved, missing, of another colour")
    ] = True
    faint_stars_to_mag: Annotated[
        Annotated[float, Field(ge=12.5, le=20)] | None,
        Shown("faint stars to", "mag", help="below the catalogue's limit; empty: none"),
    ] = 16.0
    deep_sky: Annotated[bool, Shown("nebulae and galaxies")] = True
    natural_mag_arcsec2: Annotated[float, Field(ge=15, le=30), Shown("sky without lights", "mag/″²")] = 21.9
    light_pollution_mag_arcsec2: Annotated[
        Annotated[float, Field(ge=12, le=30)] | None,
        Shown("town lights overhead", "mag/″²", help="empty: none"),
    ] = 22.23
    town_azimuth_deg: Annotated[
        Annotated[float, Field(ge=0, le=360)] | None, Shown("town towards", "°", help="empty: all around")
    ] = None
    moonlight: Annotated[bool, Shown("moonlight")] = True
    moon: Annotated[PlacedMoon | None, Shown("placed moon", help="empty: the real one")] = None
    twilight: Annotated[bool, Shown("twilight and daylight")] = True
    twilight_fainter_mag: Annotated[
        float, Field(ge=-3, le=3), Shown("twilight fainter by", "mag", help="than in a usual clear sky")
    ] = 0.0
    twilight_fainter_mag_deg: Annotated[
        float,
        Field(ge=-0.5, le=0.5),
        Shown("and for each degree", "mag", help="that the sun stands over the horizon"),
    ] = 0.0
    extinction_mag: Annotated[NotNegative, Shown("extinction", "mag", help="in V, for each air mass")] = 0.2
    refraction: Annotated[bool, Shown("refraction")] = True
