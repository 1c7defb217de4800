"""Channel plans at 2.4 GHz that the trade knows (common practice): channels that 20 MHz networks do not share."""

from __future__ import annotations

from typing import Final, Literal

# Where 1 to 11 are allowed, and where 1 to 13 are: the second leaves less between its channels.
ONE_SIX_ELEVEN: Final = (1, 6, 11)
STANDARD_SETS: Final = (ONE_SIX_ELEVEN, (1, 5, 9, 13))

ChannelPlan = Literal["any legal channel", "1/6/11 only"]
CHANNEL_PLANS: Final[tuple[ChannelPlan, ...]] = ("any legal channel", "1/6/11 only")
