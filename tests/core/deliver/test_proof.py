"""Profiles of devices: read, proofed on screen, and delivered in."""

import io

import numpy as np
import tifffile
from PIL import Image, ImageCms

from crenn.core.colorimetry.icc import PCS_WHITE, matrix_profile
from crenn.core.colorimetry.profiles import IccProfile, brought, read_profile
from crenn.core.colorimetry.spaces import D65_XY, SRGB_XY, rgb_to_xyz_matrix, srgb_encode, xy_to_xyz
from crenn.core.deliver.files import deliver
from crenn.core.deliver.output import Output
from crenn.core.deliver.proof import Proof, device_of, proofed
from crenn.core.errors import CrennError
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import About, paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment
from tests.support import FolderCase, night

#: A device of few colours: its primaries lie halfway to white.
_DULL = tuple(((x + D65_XY[0]) / 2, (y + D65_XY[1]) / 2) for x, y in SRGB_XY)
_PAPER = np.array([0.80, 0.82, 0.62])


def dull(paper: bool = False) -> IccProfile:
    """The profile of a device of few colours, on white or on yellowish paper."""
    data = matrix_profile("Dull printer", rgb_to_xyz_matrix(_DULL), xy_to_xyz(*D65_XY), (2.2,))
    if paper:
        # Its white as it is measured: what is absolute goes by that.
        at = data.index(PCS_XYZ, 132)
        data = data[:at] + b"XYZ " + bytes(4) + _fixed(_PAPER) + data[at + 20 :]
        # Of version 2, in which the white point is the paper's.
        data = data[:8] + b"\x02\x40\0\0" + b"prtr" + data[16:]
    return read_profile(data)


def _fixed(values) -> bytes:
    return b"".join(round(v * 65536).to_bytes(4, "big", signed=True) for v in values)


PCS_XYZ = b"XYZ " + bytes(4) + _fixed(PCS_WHITE)


class Profiles(FolderCase):
    def test_what_is_no_profile_says_so(self):
        good = dull().data
        for data in (b"", b"text" * 100, good[:200], good[:36] + b"nope" + good[40:]):
            with self.assertRaisesRegex(CrennError, "profile"):
                read_profile(data, "p.icc")
        with self.assertRaisesRegex(CrennError, "cannot be brought to"):
            read_profile(good[:16] + b"Lab " + good[20:])
        link = good[:12] + b"link" + good[16:]
        with self.assertRaisesRegex(CrennError, "cannot be brought to"):
            read_profile(link)
        self.assertEqual((dull().title, dull().space), ("Dull printer", "RGB"))

    def test_greys_stay_and_deep_colours_are_outside(self):
        light = np.zeros((40, 60, 3), np.float32)
        light[:20] = np.linspace(0, 1, 60)[:, None] ** 2
        light[20:, :30] = (0.02, 0.5, 0.03)
        light[20:, 30:] = (0.3, 0.33, 0.31)
        codes, outside = proofed(light, Proof(profile="x"), dull())
        np.testing.assert_allclose(codes[:20], 255 * srgb_encode(light[:20]), atol=3)
        self.assertTrue(outside[20:, :30].all())
        self.assertFalse(outside[:20].any() or outside[20:, 30:].any())
        # What cannot be shown is paler on it.
        spread = np.ptp(codes[30, 10].astype(int))
        self.assertLess(spread, 0.75 * np.ptp(255 * srgb_encode(light[30, 10])))
        # A space that holds all of it changes nothing.
        same = read_profile(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
        _, out = proofed(light[20:, 30:], Proof(profile="x"), same)
        self.assertFalse(out.any())

    def test_paper_is_seen_beside_the_screen_if_that_is_wanted(self):
        white = np.ones((8, 8, 3), np.float32)
        plain, _ = proofed(white, Proof(profile="x", paper=False), dull(paper=True))
        self.assertGreater(plain.min(), 251)
        paper, _ = proofed(white, Proof(profile="x", paper=True), dull(paper=True))
        seen = paper.reshape(-1, 3).mean(0)
        self.assertLess(seen[2], seen[0] - 15)
        self.assertLess(seen[1], 240)

    def test_files_are_delivered_in_a_profile(self):
        light = night()
        light[:80] = np.linspace(0, 0.3, 480)[:, None]
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(light, None)))
        profile, path = dull(), self.folder / "p.tif"
        border = {"width": 4.0, "shade": "grey", "caption": ""}
        deliver(renderer, Treatment(), path, Output(format="tif", profile="Dull", border=border), profile=profile)
        with tifffile.TiffFile(path) as file:
            self.assertEqual(file.pages[0].iccprofile, profile.data)
            codes = file.pages[0].asarray()
        to_srgb = IccProfile("sRGB", "RGB", ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
        inside = brought(codes, profile, to_srgb)[19:-19, 19:-19].astype(int)
        plain = renderer.picture(Treatment(), Window.whole((320, 480)), 16)[0].astype(int)
        self.assertLess(np.abs(inside - plain)[5:75, 120:].max(), 500)
        self.assertLess(np.ptp(codes[3, 3].astype(int)), 40)
        jpeg = self.folder / "p.jpg"
        deliver(renderer, Treatment(), jpeg, Output(profile="Dull"), profile=profile)
        with Image.open(jpeg) as picture:
            named = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"])))
        self.assertEqual(named.strip(), "Dull printer")
        with self.assertRaisesRegex(CrennError, "is not here"):
            deliver(renderer, Treatment(), jpeg, Output(profile="Dull"))
        with self.assertRaisesRegex(CrennError, "CMYK"):
            deliver(renderer, Treatment(), jpeg, Output(profile="Inks"), profile=IccProfile("Inks", "CMYK", b""))

    def test_a_view_is_proofed_in_parts_as_it_is_whole(self):
        light = night()
        light[40:120, 40:160] = (0.02, 0.5, 0.02)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(light, None)))
        profile = dull()

        def proof(window: Window, marks: bool = False) -> np.ndarray:
            about = About(device=device_of(Proof(profile="x", marks=marks), profile))
            return paint_view(renderer, Treatment(), window, "picture", about=about)[0]

        whole = proof(Window.whole((320, 480)))
        part = proof(Window(100, 60, 200, 120, 200, 120))
        off = np.abs(part.astype(int) - whole[60:180, 100:300])
        self.assertLessEqual(off.mean(), 0.8)
        marked = proof(Window.whole((320, 480)), marks=True)
        changed = (marked != whole).any(-1)
        self.assertGreater(changed[36:124, 36:164].sum(), 200)
