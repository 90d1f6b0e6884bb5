"""What to change next, and everything that the limits allow; computed by the engine, never by a rule of thumb.

The questions are asked of :func:`meanbead.core.advise.levers.levers`, :func:`meanbead.core.advise.search.search` and
:func:`meanbead.core.advise.confirm.remedies_tried`.
"""

from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.advise.trial import Trial, try_out

__all__ = ["AdviceContext", "Trial", "try_out", "with_settings"]
