"""A Zigbee coordinator on a serial port, through zigpy: its channel, what it hears of its devices, the energy on the
channels, and a move to another channel. An optional extra: offered where zigpy, its library for the radio and a port
are there.

``EVEN_STATIC_COORDINATOR`` says which: the radio's library and the port, such as ``bellows:COM4``. The application that
runs the house's automations must let go of the port first.
"""

from __future__ import annotations

import asyncio
import os
from collections.abc import Awaitable, Callable
from importlib import import_module
from importlib.util import find_spec
from typing import Any, TypeVar

from even_static.core.errors import InstrumentFault
from even_static.core.survey.coordinator import CoordinatorRead, HeardDevice

SETTING = "EVEN_STATIC_COORDINATOR"
# zigpy's libraries for radios, as its documentation lists them.
LIBRARIES = ("bellows", "zigpy_znp", "zigpy_deconz", "zigpy_xbee", "zigpy_zigate")
LONGEST_S = 180.0
# Exponent of the time on each channel: 16 x 15.36 ms (IEEE 802.15.4, from memory).
SCAN_DURATION = 4

T = TypeVar("T")


def why_not() -> tuple[str, str]:
    """(why there is no coordinator here, what to do about it); empty where there is one."""
    if find_spec("zigpy") is None:
        return "zigpy is not installed", "pip install even-static[zigbee] and the radio's library"
    setting = os.environ.get(SETTING, "")
    library, _, port = setting.partition(":")
    if not port:
        return "no coordinator is configured", f"set {SETTING} to the radio's library and port, such as bellows:COM4"
    if library not in LIBRARIES or find_spec(library) is None:
        return f"the library {library} is not installed", f"install one of {', '.join(LIBRARIES)}"
    return "", ""


async def read(app: Any) -> CoordinatorRead:
    """Ask an application of zigpy."""
    from zigpy.types import Channels

    energy = await app.energy_scan(Channels.ALL_CHANNELS, duration_exp=SCAN_DURATION, count=1)
    await app.topology.scan()
    devices = tuple(
        HeardDevice(
            address=str(device.ieee),
            name=str(getattr(device, "model", None) or device.ieee),
            rssi_dbm=_number(getattr(device, "rssi", None)),
            lqi=getattr(device, "lqi", None),
        )
        for device in app.devices.values()
        if int(device.nwk) != 0
    )
    links = {
        (min(str(a), str(n.ieee)), max(str(a), str(n.ieee))): int(n.lqi)
        for a, neighbours in app.topology.neighbors.items()
        for n in neighbours
    }
    return CoordinatorRead(
        channel=int(app.state.network_info.channel),
        pan_id=int(app.state.network_info.pan_id),
        devices=devices,
        energy={int(channel): float(value) for channel, value in energy.items()},
        links=tuple((a, b, lqi) for (a, b), lqi in sorted(links.items())),
    )


async def move(app: Any, channel: int) -> int:
    """Move the network of an application of zigpy to a channel; the channel that it is on afterwards."""
    await app.move_network_to_channel(channel)
    return int(app.state.network_info.channel)


def ask(action: Callable[[Any], Awaitable[T]], opened: Callable[[], Awaitable[Any]] | None = None) -> T:
    """Do something with the coordinator that is configured, and let go of it. ``opened``: gives the application.

    InstrumentFault where there is none, or it does not answer.
    """
    why, what_to_do = why_not() if opened is None else ("", "")
    if why:
        raise InstrumentFault("Zigbee coordinator", "must be one that can be asked", why, what_to_do)

    async def work() -> T:
        app = await (opened or _open)()
        try:
            return await action(app)
        finally:
            await app.shutdown()

    try:
        return asyncio.run(asyncio.wait_for(work(), LONGEST_S))
    except TimeoutError:
        raise InstrumentFault("Zigbee coordinator", "must answer in time", f"nothing within {LONGEST_S:g} s") from None
    except InstrumentFault:
        raise
    except Exception as error:
        said = str(error) or type(error).__name__
        raise InstrumentFault("Zigbee coordinator", "must do what it is asked", said, "is its port free?") from None


async def _open() -> Any:
    library, _, port = os.environ[SETTING].partition(":")
    application = import_module(f"{library}.zigbee.application").ControllerApplication
    config = {"device": {"path": port}, "ota": {"enabled": False}, "backup_enabled": False}
    return await application.new(config, auto_form=False)


def _number(value: Any) -> float | None:
    return None if value is None else float(min(max(value, -120.0), 0.0))
