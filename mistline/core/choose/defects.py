"""The defects that people name in results (common practice), for remarks."""

__all__ = ["DEFECTS"]

DEFECTS = (
    "noise left",
    "blotches",
    "smeared detail",
    "rims",
    "jaggies or squares",
    "invented detail",
    "warping",
    "colour or contrast shift",
    "banding",
    "shimmer",
    "grain lost",
    "seam",
    "different content",
)
