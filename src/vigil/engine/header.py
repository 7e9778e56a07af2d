"""A light's FITS header."""

from vigil import __version__
from vigil.devices.protocols import FocuserState, MountState, RawFrame
from vigil.documents.rig import Rig
from vigil.files.fits import Header
from vigil.planning.choice import Candidate
from vigil.sky.angles import fits_sexagesimal
from vigil.sky.horizontal import air_mass, observe
from vigil.sky.instants import from_datetimes


def light_header(
    frame_id: str,
    frame: RawFrame,
    candidate: Candidate,
    rig: Rig,
    mount: MountState | None,
    focuser: FocuserState | None,
) -> Header:
    """The usual keywords. RA and DEC are where the mount says it points, OBJCTRA/OBJCTDEC what was wanted."""
    exposure, camera, telescope, site = frame.exposure, rig.camera, rig.telescope, rig.site
    assert camera is not None and telescope is not None, "there is a frame"
    target = candidate.block.target
    wanted_ra, wanted_dec = fits_sexagesimal(target.ra_deg, target.dec_deg)
    header: Header = {
        "IMAGETYP": ("LIGHT", "kind of frame"),
        "DATE-OBS": (frame.started_at.strftime("%Y-%m-%dT%H:%M:%S.%f")[:-3], "UTC, start of exposure"),
        "EXPTIME": (exposure.exposure_s, "[s] exposure"),
        "GAIN": (exposure.gain, "camera's gain setting"),
        "OFFSET": (exposure.offset, "camera's offset setting"),
        "EGAIN": (round(camera.at_gain(exposure.gain).electrons_per_adu, 4), "[e-/ADU]"),
        "XBINNING": (exposure.binning, ""),
        "YBINNING": (exposure.binning, ""),
        "CCD-TEMP": (frame.temperature_c, "[degC] sensor"),
        "FOCALLEN": (rig.focal_length_mm, "[mm] reducer included"),
        "XPIXSZ": (camera.pixel_um, "[um] one unbinned pixel"),
        "YPIXSZ": (camera.pixel_um, "[um] one unbinned pixel"),
        "INSTRUME": (camera.name, "camera"),
        "TELESCOP": (telescope.name, "telescope"),
        "OBJECT": (target.name, ""),
        "OBJCTRA": (wanted_ra, "[h m s] wanted centre, ICRS"),
        "OBJCTDEC": (wanted_dec, "[d m s] wanted centre, ICRS"),
        "SITELAT": (site.latitude_deg, "[deg] north positive"),
        "SITELONG": (site.longitude_deg, "[deg] east positive"),
        "SITEELEV": (site.height_m, "[m]"),
        "ROWORDER": ("BOTTOM-UP", "the first row is the picture's lowest"),
        "SWCREATE": (f"Vigil {__version__}", ""),
        "FRAMEID": (frame_id, "as in the ledger"),
    }
    if candidate.line.filter:
        header["FILTER"] = (candidate.line.filter, "")
    set_point_c = candidate.block.set_point_on(rig)
    if set_point_c is not None:
        header["SET-TEMP"] = (set_point_c, "[degC] set-point")
    if camera.bayer is not None and exposure.binning == 1:
        header["BAYERPAT"] = (camera.bayer, "lowest two rows, left to right")
    if focuser is not None:
        header["FOCUSPOS"] = (focuser.position, "[steps]")
        if focuser.temperature_c is not None:
            header["FOCTEMP"] = (focuser.temperature_c, "[degC]")
    if mount is not None:
        seen = observe(mount.ra_deg, mount.dec_deg, from_datetimes(frame.started_at), site.place())
        header["RA"] = (mount.ra_deg, "[deg] ICRS, by the mount")
        header["DEC"] = (mount.dec_deg, "[deg] ICRS, by the mount")
        header["PIERSIDE"] = (mount.pier_side.value.upper(), "side of the pier the tube is on")
        if seen.altitude_deg > 0:
            header["AIRMASS"] = (round(float(air_mass(seen.altitude_deg)), 4), "")
    return header
