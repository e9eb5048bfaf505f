"""What a stereo counter can tell of heights: depth from disparity, and how unsure that is (pinhole pair, textbook)."""

from __future__ import annotations

SHOULDER_M = 1.4  # where a counter above a passage takes a height; common practice, no source
LARGEST_ERROR_M = 0.1  # a height filter needs better; common practice, no source


def depth_m(f_px: float, baseline_m: float, disparity_px: float) -> float:
    """z = f B / d."""
    return f_px * baseline_m / disparity_px


def depth_error_m(z_m: float, disparity_error_px: float, f_px: float, baseline_m: float) -> float:
    """dz = z^2 dd / (f B)."""
    return z_m**2 * disparity_error_px / (f_px * baseline_m)


def headway(gap_m: float, speed_m_s: float, fps: float) -> tuple[float, float]:
    """(s, frames) between two who follow one another."""
    seconds = gap_m / speed_m_s
    return seconds, seconds * fps
