"""Where the few radiotap fields that we need stand (radiotap.org field table; layout rules from memory)."""

from __future__ import annotations

from dataclasses import dataclass

# (size, alignment) in bytes of fields 0..27, by bit of the presence word.
_FIELDS: tuple[tuple[int, int], ...] = (
    (8, 8),  # 0 TSFT
    (1, 1),  # 1 flags
    (1, 1),  # 2 rate
    (4, 2),  # 3 channel: frequency in MHz, flags
    (2, 2),  # 4 FHSS
    (1, 1),  # 5 signal in dBm
    (1, 1),  # 6 noise in dBm
    (2, 2),  # 7 lock quality
    (2, 2),  # 8 transmit attenuation
    (2, 2),  # 9 transmit attenuation in dB
    (1, 1),  # 10 transmit power
    (1, 1),  # 11 antenna
    (1, 1),  # 12 signal in dB
    (1, 1),  # 13 noise in dB
    (2, 2),  # 14 receive flags
    (2, 2),  # 15 transmit flags
    (1, 1),  # 16 RTS retries
    (1, 1),  # 17 data retries
    (8, 4),  # 18 extended channel
    (3, 1),  # 19 MCS
    (8, 4),  # 20 A-MPDU status
    (12, 2),  # 21 VHT
    (12, 8),  # 22 timestamp
    (12, 2),  # 23 HE
    (12, 2),  # 24 HE-MU
    (6, 2),  # 25 HE-MU other user
    (1, 1),  # 26 zero-length PSDU
    (4, 2),  # 27 L-SIG
)
_TLV, _NAMESPACE, _VENDOR, _MORE = 28, 29, 30, 31
FLAG_FCS = 0x10
FLAG_BAD_FCS = 0x40


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """Offsets from the start of the frame: -1 where a field is absent. ``signals`` has one for each antenna."""

    length: int
    flags: int
    frequency: int
    signal: int
    signals: tuple[int, ...]


def presence_end(frame: bytes) -> int:
    """Offset behind the chain of presence words; IndexError when the frame ends inside it."""
    at = 7
    while frame[at] & 0x80:
        at += 4
    return at + 1


def layout_of(frame: bytes) -> Layout:
    """Layout of a frame's radiotap header. Fields behind a vendor namespace or a TLV are not looked for.

    With several antennas the first signal field is the combined one where there is one; it is taken, and only where
    the first namespace has none the antennas' own values are used. ValueError when the header does not hold together.
    """
    length = int.from_bytes(frame[2:4], "little")
    end = presence_end(frame)
    if frame[0] != 0 or length < 8 or length > len(frame) or end > length:
        raise ValueError("not a radiotap header")
    words = [int.from_bytes(frame[i : i + 4], "little") for i in range(4, end, 4)]
    at, flags, frequency = end, -1, -1
    signals: list[int] = []
    first_namespace_signal = -1
    base = 0
    for n, word in enumerate(words):
        stop = False
        for bit in range(29):
            if not word & (1 << bit):
                continue
            # A word that follows without a namespace bit goes on numbering, and nobody knows fields from 32 on.
            if bit >= _TLV or base:
                stop = True
                break
            size, align = _FIELDS[bit]
            at = (at + align - 1) // align * align
            if at + size > length:
                stop = True
                break
            if bit == 1 and flags < 0:
                flags = at
            elif bit == 3 and frequency < 0:
                frequency = at
            elif bit == 5:
                signals.append(at)
                if n == 0:
                    first_namespace_signal = at
            at += size
        if stop or word & (1 << _VENDOR):
            break
        base = 0 if word & (1 << _NAMESPACE) else base + 32
    signal = first_namespace_signal if first_namespace_signal >= 0 else (signals[0] if len(signals) == 1 else -1)
    return Layout(length=length, flags=flags, frequency=frequency, signal=signal, signals=tuple(signals))
