import type { Band, Job, Node, Radio, RadioOptions } from './types'

/** Kinds of box that a technician meets, as a start that can be changed afterwards. */
export const BOX_KINDS = {
  'dual band, 802.11ac': { bands: ['2.4 GHz', '5 GHz'], generation: '802.11ac' },
  'dual band, 802.11ax': { bands: ['2.4 GHz', '5 GHz'], generation: '802.11ax' },
  'three bands, 802.11ax': { bands: ['2.4 GHz', '5 GHz', '6 GHz'], generation: '802.11ax' },
  'three bands, 802.11be': { bands: ['2.4 GHz', '5 GHz', '6 GHz'], generation: '802.11be' },
  'three radios, a second at 5 GHz for the link': {
    bands: ['2.4 GHz', '5 GHz', '5 GHz'],
    generation: '802.11ax',
  },
  'four radios, a second at 5 GHz for the link': {
    bands: ['2.4 GHz', '5 GHz', '5 GHz', '6 GHz'],
    generation: '802.11ax',
  },
  'repeater under another name, dual band': { bands: ['2.4 GHz', '5 GHz'], generation: '802.11ac' },
} as const
export type BoxKind = keyof typeof BOX_KINDS

/** A short identifier from a name, different from those taken. */
export function identifier(name: string, taken: string[]): string {
  const base =
    name
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '')
      .slice(0, 30) || 'x'
  let found = base
  for (let n = 2; taken.includes(found); n++) found = `${base}-${n}`
  return found
}

const WIDTHS: Record<string, Record<Band, Radio['widths_mhz']>> = {
  '802.11ac': { '2.4 GHz': [20, 40], '5 GHz': [20, 40, 80], '6 GHz': [] },
  '802.11ax': { '2.4 GHz': [20, 40], '5 GHz': [20, 40, 80, 160], '6 GHz': [20, 40, 80, 160] },
  '802.11be': { '2.4 GHz': [20, 40], '5 GHz': [20, 40, 80, 160], '6 GHz': [20, 40, 80, 160, 320] },
}

/** A cable, before it is told where it goes. */
export const CABLE = {
  to_node_id: '',
  band: null,
  rssi_dbm: null,
  radio_id: null,
  to_radio_id: null,
  switch_id: null,
}

/** A node of a kind. Its addresses are made up until the first listening or the technician tells the true ones. */
export function newNode(job: Job, name: string, placeId: string, kind: BoxKind): Node {
  const { bands, generation } = BOX_KINDS[kind]
  const repeater = kind.startsWith('repeater')
  const id = identifier(
    name,
    job.nodes.map((n) => n.id),
  )
  const number = job.nodes.length + 1
  const pair = (n: number) => n.toString(16).padStart(2, '0')
  const ssid = job.nodes[0]?.radios[0]?.ssid ?? 'home'
  return {
    id,
    name,
    place_id: placeId,
    stand: null,
    kind: repeater ? 'repeater' : 'node',
    outlet_id: null,
    steering: 'levels',
    carries_well: 30,
    uplink: job.nodes[0]
      ? { ...CABLE, to_node_id: job.nodes[0].id, ...(repeater ? { band: '2.4 GHz', rssi_dbm: -65 } : {}) }
      : null,
    radios: (bands as readonly Band[]).map((band, i, all) => ({
      id: `${id}-${band.split(' ')[0]}${all.indexOf(band) < i ? '-link' : ''}`,
      bssid: `02:e5:00:00:${pair(number)}:${pair(i)}`,
      ssid: repeater ? `${ssid} far`.slice(0, 32) : ssid,
      band,
      generation: (band === '2.4 GHz' && generation === '802.11ac'
        ? '802.11n'
        : generation) as Radio['generation'],
      streams: 2,
      widths_mhz: WIDTHS[generation]![band],
      eirp_steps_dbm: [14, 17, 20],
      channels: null,
      locked: false,
      link_only: all.indexOf(band) < i,
    })),
  }
}

/** Settings to start a new radio with: the first lawful block at 20 MHz that allows its power. */
export function startSetting(radio: Radio, options: RadioOptions['blocks']) {
  const power = Math.max(...radio.eirp_steps_dbm)
  const block = options.find((b) => b.max_eirp_dbm >= power) ?? options[0]
  return {
    radio_id: radio.id,
    channel: block?.channel ?? 1,
    width_mhz: 20 as const,
    eirp_dbm: power,
    centre_mhz: null,
    enabled: true,
  }
}
