#!/usr/bin/python3
"""Writes reference.json beside itself: values from SciPy for tests/standards.

Run by hand with Debian's python3-scipy; the result is committed, so the tests need neither.
"""
import json
import pathlib

import numpy as np
from scipy import signal, special

rate = 48000.0
out = {"scipy_rate": rate}

# Butterworth filters by scipy.signal.butter (bilinear, pre-warped), magnitude in dB.
probe = [20.0, 40.0, 60.0, 80.0, 100.0, 160.0, 500.0, 1000.0, 4000.0, 5100.0, 8000.0, 12000.0]
out["butterworth"] = []
for kind, corner in (("highpass", 80.0), ("highpass", 850.0), ("lowpass", 5100.0)):
    for order in (2, 4, 6, 8):
        sos = signal.butter(order, corner, kind, fs=rate, output="sos")
        _, h = signal.sosfreqz(sos, worN=probe, fs=rate)
        out["butterworth"].append({"kind": kind, "hz": corner, "order": order, "probe_hz": probe,
                                   "db": (20 * np.log10(np.maximum(np.abs(h), 1e-12))).tolist()})

# The cookbook's peaking, shelf and notch filters, typed from its formulas, run through freqz.
def cookbook(kind, hz, q, gain_db):
    a = 10 ** (gain_db / 40)
    w = 2 * np.pi * hz / rate
    c, al = np.cos(w), np.sin(w) / (2 * q)
    if kind == "bell":
        return [1 + al * a, -2 * c, 1 - al * a], [1 + al / a, -2 * c, 1 - al / a]
    if kind == "notch":
        return [1, -2 * c, 1], [1 + al, -2 * c, 1 - al]
    s = 2 * np.sqrt(a) * al
    if kind == "low_shelf":
        return ([a * ((a + 1) - (a - 1) * c + s), 2 * a * ((a - 1) - (a + 1) * c), a * ((a + 1) - (a - 1) * c - s)],
                [(a + 1) + (a - 1) * c + s, -2 * ((a - 1) + (a + 1) * c), (a + 1) + (a - 1) * c - s])
    return ([a * ((a + 1) + (a - 1) * c + s), -2 * a * ((a - 1) + (a + 1) * c), a * ((a + 1) + (a - 1) * c - s)],
            [(a + 1) - (a - 1) * c + s, 2 * ((a - 1) - (a + 1) * c), (a + 1) - (a - 1) * c - s])

out["cookbook"] = []
for kind, hz, q, gain in (("bell", 500.0, 1.0, -6.0), ("bell", 3000.0, 4.0, 9.0), ("notch", 1000.0, 8.0, 0.0),
                          ("low_shelf", 180.0, 0.7, -5.0), ("high_shelf", 9000.0, 1.0, 3.0)):
    b, a = cookbook(kind, hz, q, gain)
    _, h = signal.freqz(b, a, worN=probe, fs=rate)
    out["cookbook"].append({"kind": kind, "hz": hz, "q": q, "gain_db": gain, "probe_hz": probe,
                            "db": (20 * np.log10(np.maximum(np.abs(h), 1e-12))).tolist()})

# Ephraim and Malah 1985, eq. 20: G = xi/(1+xi) exp(E1(v)/2), v = xi/(1+xi) gamma.
out["log_spectral_gain"] = []
for xi_db in (-15, -5, 0, 5, 15):
    for gamma_db in (-5, 0, 5, 10, 20):
        xi, gamma = 10 ** (xi_db / 10), 10 ** (gamma_db / 10)
        v = xi / (1 + xi) * gamma
        out["log_spectral_gain"].append({"xi_db": xi_db, "gamma_db": gamma_db,
                                         "gain_db": float(20 * np.log10(xi / (1 + xi) * np.exp(special.exp1(v) / 2)))})

path = pathlib.Path(__file__).with_name("reference.json")
path.write_text(json.dumps(out, indent=1) + "\n")
