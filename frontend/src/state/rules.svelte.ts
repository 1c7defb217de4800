import { api, ask } from '../lib/api'

/** Limits of the trade that drawings mark, as the core has them; nothing is marked until they are known. */
class Rules {
  wantedDelivery = $state(NaN)
  timeZones = $state<string[]>([])

  constructor() {
    ask(api.GET('/api/about'))
      .then((about) => {
        this.wantedDelivery = about.wanted_delivery
        this.timeZones = about.time_zones
      })
      .catch(() => {})
  }

  /** Whether so few reports arrive that it counts as a problem. */
  short = (delivery: number | null | undefined) => (delivery ?? 1) < this.wantedDelivery
}

export const rules = new Rules()
