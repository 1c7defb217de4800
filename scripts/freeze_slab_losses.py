"""Freezes slab losses of a ray-tracing library's own ITU-R P.2040 materials, for the tests to be held to.

Needs sionna-rt (heavy: not among the project's packages).
Usage: python scripts/freeze_slab_losses.py > tests/reference/slab_losses.json
"""

from __future__ import annotations

import json
import sys

import mitsuba as mi

mi.set_variant("llvm_ad_mono_polarized" if "llvm_ad_mono_polarized" in mi.variants() else "scalar_rgb")

import numpy as np  # noqa: E402
import sionna.rt  # noqa: E402
from sionna.rt.radio_materials.itu import itu_material  # noqa: E402
from sionna.rt.utils import complex_relative_permittivity, itu_coefficients_single_layer_slab  # noqa: E402

CASES = [("concrete", 0.2), ("concrete", 0.1), ("brick", 0.215), ("plasterboard", 0.0125), ("wood", 0.04)]
CASES += [("glass", 0.006), ("chipboard", 0.022)]
GHZ = (2.45, 5.5, 6.5)


def loss_db(material: str, thickness_m: float, ghz: float) -> float:
    """Loss at right angles in dB by the library's material table and slab function."""
    eta_r, sigma = itu_material(material, ghz * 1e9)
    omega = mi.Float(2 * np.pi * ghz * 1e9)
    eta = complex_relative_permittivity(mi.Float(eta_r), mi.Float(sigma), omega)
    wavelength = mi.Float(299_792_458.0 / (ghz * 1e9))
    _, _, through, _ = itu_coefficients_single_layer_slab(mi.Float(1.0), eta, mi.Float(thickness_m), wavelength)
    re, im = float(np.array(through.real).ravel()[0]), float(np.array(through.imag).ravel()[0])
    return -10 * float(np.log10(re * re + im * im))


if __name__ == "__main__":
    rows = [
        {"material": m, "thickness_m": t, "frequency_ghz": f, "loss_db": round(loss_db(m, t, f), 4)}
        for m, t in CASES
        for f in GHZ
    ]
    made = f"sionna-rt {sionna.rt.__version__}"
    json.dump({"made_with": made, "rows": rows}, sys.stdout, indent=1)
    sys.stdout.write("\n")
