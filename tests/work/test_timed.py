"""What a recipe needs is told before it runs."""

from types import SimpleNamespace

import pytest

from mistline.core.frame import Size
from mistline.core.methods.recipe import Pass, Recipe
from mistline.errors import OutOfLimits
from mistline.work.steps import timed


@pytest.mark.parametrize("over_size", [1.0, 2.0, 4.0])
def test_an_over_size_recipe_needs_memory_for_what_it_makes_first(
    over_size: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The pixels that are held grow with the square of the size."""
    recipe = Recipe(name="r", passes=[Pass(method="bicubic")], over_size=over_size)
    copies = recipe.passes[0].definition.limits.working_copies
    need = int(copies * 12 * 1000 * 500 * over_size**2)
    for free, refused in ((need, False), (need - 1, True)):
        memory = SimpleNamespace(available=free)
        monkeypatch.setattr(timed.psutil, "virtual_memory", lambda memory=memory: memory)
        if refused:
            with pytest.raises(OutOfLimits, match="r needs about"):
                timed.check_memory(recipe, Size(500, 250), Size(1000, 500))
        else:
            timed.check_memory(recipe, Size(500, 250), Size(1000, 500))
