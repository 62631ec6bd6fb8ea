"""What goes over the wire, a module a resource; the web client's types are generated from these."""

from mistline.api.schemas.errands import *  # noqa: F403
from mistline.api.schemas.errors import *  # noqa: F403
from mistline.api.schemas.fingerprints import *  # noqa: F403
from mistline.api.schemas.looking import *  # noqa: F403
from mistline.api.schemas.plans import *  # noqa: F403
from mistline.api.schemas.playbook import *  # noqa: F403
from mistline.api.schemas.prices import *  # noqa: F403
from mistline.api.schemas.queue import *  # noqa: F403
from mistline.api.schemas.recipes import *  # noqa: F403
from mistline.api.schemas.shelf import *  # noqa: F403
from mistline.api.schemas.standing_in import *  # noqa: F403
from mistline.api.schemas.storage import *  # noqa: F403
from mistline.api.schemas.trials import *  # noqa: F403
