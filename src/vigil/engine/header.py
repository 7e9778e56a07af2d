"""A frame's FITS header: what was exposed with what, and of one that was wanted, where and for what."""

from vigil import __version__
from vigil.devices.protocols import FocuserState, MountState, RawFrame, RotatorState
from vigil.documents.rig import Rig
from vigil.engine.guiding.guided import GuideFigures
from vigil.engine.wanted import Wanted
from vigil.files.fits import Header
from vigil.sky.angles import fits_sexagesimal
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes


def bare_header(rig: Rig, frame: RawFrame, guides: bool, kind: str = "TRIAL") -> Header:
    """The usual keywords of the exposure itself; `guides` where the guider's camera took it."""
    exposure, part = frame.exposure, rig.guider if guides else rig.camera
    length_mm = rig.guide_focal_length_mm if guides else rig.focal_length_mm
    header: Header = {
        "IMAGETYP": (kind, "kind of frame"),
        "DATE-OBS": (frame.started_at.strftime("%Y-%m-%dT%H:%M:%S.%f")[:-3], "UTC, start of exposure"),
        "EXPTIME": (exposure.exposure_s, "[s] exposure"),
        "GAIN": (exposure.gain, "camera's gain setting"),
        "XBINNING": (exposure.binning, ""),
        "YBINNING": (exposure.binning, ""),
        "CCD-TEMP": (frame.temperature_c, "[degC] sensor"),
        "INSTRUME": (part.name if part else "", "camera"),
        "ROWORDER": ("BOTTOM-UP", "the first row is the picture's lowest"),
        "SWCREATE": (f"Vigil {__version__}", ""),
    }
    if part is not None:
        header["XPIXSZ"] = header["YPIXSZ"] = (part.pixel_um, "[um] one unbinned pixel")
    if length_mm is not None:
        header["FOCALLEN"] = (length_mm, "[mm] reducer included")
    unmixed = exposure.binning == 1 and not guides
    if unmixed and rig.camera is not None and rig.camera.bayer is not None:
        header["BAYERPAT"] = (rig.camera.bayer, "lowest two rows, left to right")
    return header


def frame_header(
    frame_id: str,
    frame: RawFrame,
    wanted: Wanted,
    rig: Rig,
    mount: MountState | None,
    focuser: FocuserState | None,
    guided: GuideFigures | None = None,
    rotator: RotatorState | None = None,
) -> Header:
    """RA and DEC are where the mount says it points, OBJCTRA/OBJCTDEC what was wanted."""
    exposure, camera, telescope, site = frame.exposure, rig.camera, rig.telescope, rig.site
    assert camera is not None and telescope is not None, "there is a frame"
    header: Header = {
        **bare_header(rig, frame, guides=False, kind=wanted.kind.upper()),
        "OFFSET": (exposure.offset, "camera's offset setting"),
        "EGAIN": (round(camera.at_gain(exposure.gain).electrons_per_adu, 4), "[e-/ADU]"),
        "TELESCOP": (telescope.name, "telescope"),
        "SITELAT": (site.latitude_deg, "[deg] north positive"),
        "SITELONG": (site.longitude_deg, "[deg] east positive"),
        "SITEELEV": (site.height_m, "[m]"),
        "FRAMEID": (frame_id, "as in the ledger"),
    }
    if (place := wanted.place) is not None:
        wanted_ra, wanted_dec = fits_sexagesimal(place.ra_deg, place.dec_deg)
        header["OBJECT"] = (place.name, "")
        header["OBJCTRA"] = (wanted_ra, "[h m s] wanted centre, ICRS")
        header["OBJCTDEC"] = (wanted_dec, "[d m s] wanted centre, ICRS")
    if wanted.filter:
        header["FILTER"] = (wanted.filter, "")
    if wanted.set_point_c is not None:
        header["SET-TEMP"] = (wanted.set_point_c, "[degC] set-point")
    if focuser is not None:
        header["FOCUSPOS"] = (focuser.position, "[steps]")
        if focuser.temperature_c is not None:
            header["FOCTEMP"] = (focuser.temperature_c, "[degC]")
    if rotator is not None:
        header["ROTATANG"] = (round(rotator.angle_deg, 2), "[deg] rotator, mechanical")
    if guided is not None:
        header["GUIDERMS"] = (round(guided.rms_arcsec, 3), "[arcsec] guide star, both axes together")
        header["GUIDERA"] = (round(guided.ra_rms_arcsec, 3), "[arcsec] rms in right ascension, on the sky")
        header["GUIDEDEC"] = (round(guided.dec_rms_arcsec, 3), "[arcsec] rms in declination")
    if mount is not None:
        seen = observe(mount.ra_deg, mount.dec_deg, from_datetimes(frame.started_at), site.place())
        header["RA"] = (mount.ra_deg, "[deg] ICRS, by the mount")
        header["DEC"] = (mount.dec_deg, "[deg] ICRS, by the mount")
        header["PIERSIDE"] = (mount.pier_side.value.upper(), "side of the pier the tube is on")
        if seen.altitude_deg > 0:
            header["AIRMASS"] = (round(float(air_mass(seen.altitude_deg)), 4), "")
    return header
