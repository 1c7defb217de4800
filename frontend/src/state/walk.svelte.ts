import { api, ask } from '../lib/api'
import { canKeep, type LevelUnit, type UnitName, valuesOf } from '../lib/levels'
import type { Band, SampleView, TraceView } from '../lib/types'
import type { CallState } from './call.svelte'
import { rules } from './rules.svelte'
import { newKey, timestamp, waiting } from './waiting.svelte'

const SAMPLE_MS = 700
const MOST_SAMPLES = 40
const TRACE_MS = 250
/** An unhurried walk, in metres a second, until the person says that they have arrived. */
const PACE_M_PER_S = 0.8
const SHORTEST_WALK_S = 4

export type Way = 'scanner' | 'typed' | 'link' | 'trace' | 'speed'

/** What goes on at a spot: a series that settles, levels that are typed, or a walk to the next spot. */
export class WalkState {
  placeId = $state('')
  way = $state<Way>('typed')
  sampled = $state<SampleView | null>(null)
  reading = $state(false)
  /** What was typed, by a radio's address or a neighbour's key; and in which unit the device shows it. */
  typed = $state<Record<string, string>>({})
  private unitName = $state<UnitName>('dBm')
  /** The unit, as the core has it; before it is known nothing can be typed. */
  get unit(): LevelUnit {
    return (
      rules.offered.level_units.find((u) => u.unit === this.unitName) ?? {
        unit: this.unitName,
        least: 0,
        most: 0,
      }
    )
  }
  /** Neighbours that the device lists: kept from spot to spot, since they are the same ones. */
  others = $state<{ key: string; name: string; band: Band; channel: number }[]>([])
  lost = $state(false)
  instrumentId = $state('')
  running = $state('')
  /** The walk to another spot: since when, and what was read. */
  walking = $state<{ to: string; began: number; lastS: number } | null>(null)
  traced = $state<{ after_s: number; bssid: string; rssi_dbm: number }[]>([])
  told = $state<TraceView | null>(null)

  constructor(private call: CallState) {
    this.way = this.first
  }

  /** How a spot is read unless another way is chosen: by the simulated scanner in a practice house, else by eye. */
  get first(): Way {
    return this.call.practice ? 'scanner' : 'typed'
  }

  private path = () => ({ params: { path: { call_id: this.call.id } } })
  private taken = (c: CallState['call']) => c.id === this.call.id && this.call.take(c)

  go(id: string | undefined) {
    if (!id) return
    this.reading = false
    this.walking = null
    this.sampled = null
    this.typed = {}
    this.placeId = id
  }

  async read() {
    if (this.reading) {
      this.reading = false
      return
    }
    this.reading = true
    this.way = 'scanner'
    this.sampled = null
    const at = this.placeId
    while (this.reading && this.placeId === at) {
      const began = performance.now()
      try {
        const found = await ask<SampleView>(this.sampleAt(at))
        this.lost = false
        if (this.placeId !== at || !this.reading) return
        this.sampled = found
        if (found.settled) this.reading = false
        if (found.series.some((s) => s.samples_dbm.length >= MOST_SAMPLES)) this.reading = false
      } catch {
        this.lost = true
        this.reading = false
        this.way = 'typed'
      }
      await new Promise((r) => setTimeout(r, Math.max(50, SAMPLE_MS - (performance.now() - began))))
    }
  }

  addNeighbour(other: { name: string; band: Band; channel: number }): string {
    const key = `neighbour-${newKey()}`
    this.others = [...this.others, { key, ...other }]
    return key
  }

  forgetNeighbour(key: string) {
    this.others = this.others.filter((o) => o.key !== key)
    this.typed = Object.fromEntries(Object.entries(this.typed).filter(([k]) => k !== key))
  }

  /** Another unit: what was typed in the old one is no level in this one. */
  setUnit(unit: UnitName) {
    this.unitName = unit
    this.typed = {}
  }

  /** A level that is still being typed cannot be kept yet. */
  get canKeep() {
    if (this.way === 'typed') {
      const given = Object.values(this.typed).filter((v) => v)
      return given.length > 0 && given.every((levels) => canKeep(levels, this.unit))
    }
    return this.way === 'scanner' && !!this.sampled?.series.length
  }

  async keep(next: string | undefined) {
    if (!this.canKeep) return
    this.reading = false
    const at = {
      key: newKey(),
      place_id: this.placeId,
      heard_at: timestamp(),
      instrument_id: this.instrumentId || null,
      running: this.running,
    }
    const delivery =
      this.way === 'typed'
        ? ({ kind: 'typed', body: { ...at, ...this.asTyped() } } as const)
        : this.call.practice
          ? ({
              kind: 'reading',
              body: { ...at, series: this.sampled?.series ?? [] },
            } as const)
          : ({
              kind: 'scan',
              body: {
                key: at.key,
                place_id: at.place_id,
                instrument_id: at.instrument_id,
                running: at.running,
              },
            } as const)
    this.sampled = null
    this.typed = {}
    // On to the next spot at once: what is typed there must not be wiped when this one has been sent.
    const sent = waiting.add(this.call.id, delivery, this.taken)
    if (next) this.go(next)
    await sent
  }

  /** One more second of the simulated scanner, or one more scan of this computer's card. */
  private sampleAt(place_id: string) {
    const so_far = this.sampled?.series ?? []
    if (!this.call.practice) {
      const body = { place_id, anew: !so_far.length }
      return api.POST('/api/calls/{call_id}/scan/series', { ...this.path(), body })
    }
    const body = { place_id, so_far, instrument_id: this.instrumentId || null }
    return api.POST('/api/calls/{call_id}/walk/sample', { ...this.path(), body })
  }

  private asTyped() {
    const shown = (typed: string) => ({ values: valuesOf(typed, this.unit), unit: this.unit.unit })
    const given = Object.entries(this.typed).filter(([, v]) => v)
    const neighbours = this.others.flatMap(({ key, ...other }) => {
      const typed = this.typed[key]
      return typed ? [{ ...other, width_mhz: 20 as const, shown: shown(typed) }] : []
    })
    const own = given
      .filter(([key]) => !this.others.some((o) => o.key === key))
      .map(([bssid, typed]) => ({ bssid, shown: shown(typed) }))
    return { own, neighbours }
  }

  /** Walk to a spot and read on the way, until arrived. */
  async walk(to: string, wayM: number) {
    const from = this.placeId
    const began = performance.now()
    const expectedS = Math.max(SHORTEST_WALK_S, wayM / PACE_M_PER_S)
    this.walking = { to, began, lastS: 0 }
    this.traced = []
    this.told = null
    const here = this.walking
    while (this.walking === here || this.walking?.began === began) {
      const asked = performance.now()
      const afterS: number = (asked - began) / 1000
      try {
        const body = {
          from_place_id: from,
          to_place_id: to,
          path_fraction: Math.min(1, afterS / expectedS),
        }
        const levels: Record<string, number> = await ask(
          api.POST('/api/calls/{call_id}/walk/trace/sample', { ...this.path(), body }),
        )
        this.lost = false
        if (this.walking?.began !== began) return
        for (const [bssid, rssi_dbm] of Object.entries(levels))
          this.traced.push({ after_s: Math.round(afterS * 100) / 100, bssid, rssi_dbm })
        this.walking = { to, began, lastS: afterS }
      } catch {
        // Out of reach for a moment: the walk goes on, the gap shows.
        this.lost = true
      }
      if (afterS >= expectedS) return await this.arrive()
      await new Promise((r) => setTimeout(r, Math.max(30, TRACE_MS - (performance.now() - asked))))
    }
  }

  async arrive() {
    const walk = this.walking
    if (!walk) return
    const from = this.placeId
    this.walking = null
    const key = newKey()
    if (this.traced.length) {
      const duration_s = Math.max(0.5, Math.round(walk.lastS * 100) / 100)
      const body = {
        key,
        from_place_id: from,
        to_place_id: walk.to,
        walked_at: timestamp(),
        duration_s,
        points: $state.snapshot(this.traced),
      }
      await waiting.add(this.call.id, { kind: 'trace', body }, this.taken)
      if (!waiting.of(this.call.id).length) await this.tell(key)
    }
    this.placeId = walk.to
  }

  async tell(traceId: string) {
    try {
      this.told = await ask(
        api.GET('/api/calls/{call_id}/traces/{trace_id}', {
          params: { path: { call_id: this.call.id, trace_id: traceId } },
        }),
      )
    } catch {
      this.told = null
    }
  }
}
