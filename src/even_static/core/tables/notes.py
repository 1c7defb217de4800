"""Words by which a technician's notes tell what they are about. Common practice: how people speak of it."""

from __future__ import annotations

from typing import Final

from even_static.core.tables.bands import Band

# Floors by name, and how far each is from the ground floor. British use: the first floor is one up.
FLOORS: Final[dict[str, int]] = {
    "basement": -1,
    "cellar": -1,
    "downstairs": 0,
    "ground floor": 0,
    "upstairs": 1,
    "first floor": 1,
    "second floor": 2,
    "third floor": 3,
    "fourth floor": 4,
}
# Headings of the floor under the roof, however many there are below.
TOP_FLOORS: Final = frozenset({"attic", "loft", "top floor", "under the roof"})
# Rooms whose floor their name tells.
FLOOR_OF_ROOM: Final[dict[str, str]] = {
    "attic": "top",
    "loft": "top",
    "basement": "bottom",
    "cellar": "bottom",
    "front door": "ground",
    "garden": "ground",
    "garage": "ground",
    "shed": "ground",
}
# Names of lists of notes: what stands under one is read as that kind.
HEADINGS: Final[dict[str, str]] = {
    "rooms": "room",
    "room": "room",
    "nodes": "node",
    "routers": "node",
    "router and nodes": "node",
    "devices": "device",
    "zigbee": "zigbee",
    "zigbee devices": "zigbee",
    "complaints": "complaint",
    "complaint": "complaint",
}
# What is complained of, by words that tell it: all of a group's parts must be there, the first that fits is taken.
COMPLAINTS: Final[tuple[tuple[str, tuple[tuple[str, ...], ...]], ...]] = (
    ("automations do not fire", (("automation", "routine", "scene"),)),
    ("a camera or bell fails", (("camera", "bell"), ("fail", "offline", "miss", "no picture", "not ring", "drops"))),
    (
        "a sensor or plug goes missing",
        (
            ("sensor", "plug", "lamp", "bulb", "switch", "blind", "zigbee", "lock", "remote"),
            ("missing", "lost", "offline", "unreachable", "vanish", "not respond", "not answer", "drops"),
        ),
    ),
    ("calls break up", (("call", "meeting", "lesson"), ("break", "drop", "chop", "freez", "cut", "stutter"))),
    ("music stutters", (("music", "speaker", "radio", "song"), ("stutter", "stop", "cut", "drop", "skip", "pause"))),
    ("video stalls", (("stall", "buffer", "freez", "pixel"),)),
    (
        "a device drops off and comes back",
        (("drops", "disconnect", "falls off", "comes and goes", "loses", "keeps leaving", "kicked"),),
    ),
    ("a room is slow", (("slow", "bad wi-fi", "poor wi-fi", "no wi-fi", "weak"),)),
)
# How often, by word, in times a week.
PER_WEEK: Final[dict[str, float]] = {
    "once a day": 7.0,
    "twice a day": 14.0,
    "every day": 7.0,
    "daily": 7.0,
    "every evening": 7.0,
    "every night": 7.0,
    "every morning": 7.0,
    "once a week": 1.0,
    "twice a week": 2.0,
    "every week": 1.0,
    "weekly": 1.0,
}
# Zigbee devices that hang on the mains by their kind, and so pass frames on.
ON_MAINS: Final = ("plug", "lamp", "bulb", "light", "socket", "outlet", "dimmer", "relay", "repeater", "strip", "mains")
# What a node is called, and whether it is fed over the air unless a note says otherwise.
NODE_WORDS: Final[dict[str, bool]] = {
    "router": False,
    "gateway": False,
    "modem router": False,
    "access point": False,
    "mesh node": True,
    "mesh router": True,
    "node": True,
    "satellite": True,
    "repeater": True,
    "extender": True,
}
BY_AIR: Final = ("over the air", "by radio", "wireless", "by air", "radio", "mesh")
BY_THE_MESH: Final = (
    "found by the mesh",
    "the mesh finds it",
    "the mesh finds its link",
    "self-forming",
    "forms itself",
)
BY_CABLE: Final = ("cable", "by cable", "wired", "on a cable", "ethernet")
# The band of a wireless backhaul that nobody has told yet.
USUAL_LINK_BAND: Final[Band] = "5 GHz"
