"""Which figures speak for an entry: those that a kind of footage is chosen by (common practice)."""

from collections.abc import Collection

__all__ = ["figures_for"]

GENERAL = ("psnr_luma", "ssim", "agreement")
OF_KIND = {
    "daylight": ("detail_kept",),
    "night": ("noise_left", "noise_colour", "detail_kept"),
    "faces": ("detail_kept", "ciede2000_soft"),
    "rendered": ("detail_kept", "halo"),
    "drawn": ("edge_width", "halo"),
    "lettering": ("lettering", "lettering_sure", "edge_width"),
    "texture": ("detail_kept", "detail_invented", "detail_beyond"),
    "archive": ("noise_left", "blockiness", "detail_kept"),
    "clean": ("detail_kept", "halo"),
    "wrap": ("detail_kept",),
}
MOST = 4


def figures_for(kind: str | None, measured: Collection[str]) -> list[str]:
    """Ids of up to four measures, the kind's own first, of those that are measured.

    >>> figures_for("lettering", ["ssim", "lettering", "edge_width"])
    ['lettering', 'edge_width', 'ssim']
    >>> figures_for(None, ["agreement"])
    ['agreement']
    """
    return [key for key in (*OF_KIND.get(kind or "", ()), *GENERAL) if key in measured][:MOST]
