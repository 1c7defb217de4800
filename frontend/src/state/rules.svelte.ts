import { api, ask } from '../lib/api'
import type { About, Offered } from '../lib/types'

const NOTHING: Offered = {
  bands: [],
  channel_plans: [],
  zigbee_channels: [],
  usual_hub_channels: [],
  wanted_delivery: NaN,
  most_counted_headroom: NaN,
  complaints: [],
  complaint_times: [],
  line_equipment: [],
  modes: [],
  steering: [],
  switch_rates_mbps: [],
  cable_routes: [],
  sides: [],
  ab_measures: [],
  worth_fractions: [],
  worth_fraction: NaN,
  level_units: [],
  fields_beside: [],
  widths_mhz: [],
  practice_sizes: [],
  practice_difficulties: [],
}

/** Choices and limits of the trade as the core has them; nothing is offered or marked until they are known. */
class Rules {
  offered = $state.raw<Offered>(NOTHING)
  timeZones = $state.raw<string[]>([])
  countries = $state.raw<string[]>([])
  /** The lowest and the highest 802.15.4 channel. */
  zigbeeLow = $derived(this.offered.zigbee_channels[0])
  zigbeeHigh = $derived(this.offered.zigbee_channels.at(-1))

  constructor() {
    ask<About>(api.GET('/api/about'))
      .then((about) => {
        this.offered = about.offered
        this.timeZones = about.time_zones
        this.countries = about.countries
      })
      .catch(() => {})
  }

  /** Whether so few reports arrive that it counts as a problem. */
  short = (delivery: number | null | undefined) => (delivery ?? 1) < this.offered.wanted_delivery
}

export const rules = new Rules()
