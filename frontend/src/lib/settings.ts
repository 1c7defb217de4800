import { plural, prose } from './format'
import type { RadioOptions, RadioSetting, Settings } from './types'

type Offered = RadioOptions['blocks'][number]

/** How a radio is set, in a few words. */
export const radioText = (s: RadioSetting) =>
  s.enabled === false ? 'off' : prose(`${s.channel} at ${s.width_mhz} MHz, ${s.eirp_dbm} dBm`)

/** The SSID plan and steering in words. */
export function namesText(names: Settings['ssid_plan']): string {
  const steered = names?.high_band_from_dbm ?? null
  const kind = names?.kind ?? 'one SSID'
  const on = names?.bands?.length ? `, ${plural(names.bands.length, 'device')} on a band's own SSID` : ''
  const closed = names?.backhaul_only?.length ? `; no devices on ${names.backhaul_only.join(' and ')}` : ''
  return `${kind[0]!.toUpperCase()}${kind.slice(1)}${on}; ${
    steered === null
      ? 'steering off, devices choose for themselves'
      : `devices are steered up from −${-steered} dBm`
  }${closed}`
}

/** One text for a block, since channel and width alone may leave a choice. */
export const blockKey = (b: { channel: number; width_mhz: number; centre_mhz?: number | null }) =>
  `${b.channel}/${b.width_mhz}/${b.centre_mhz ?? ''}`

/** Power steps that the law allows on a block. */
export const lawfulSteps = (steps: number[], block: Offered) =>
  steps.filter((s) => s <= block.max_eirp_dbm).sort((a, b) => a - b)

/** A setting moved to a block, with its power lowered to a step that the law allows there. */
export function moveTo(setting: RadioSetting, block: Offered, steps: number[]): RadioSetting {
  const { channel, width_mhz, centre_mhz } = block
  const lawful = lawfulSteps(steps, block)
  const eirp_dbm = lawful.includes(setting.eirp_dbm) ? setting.eirp_dbm : (lawful.at(-1) ?? setting.eirp_dbm)
  return { ...setting, channel, width_mhz: width_mhz as RadioSetting['width_mhz'], centre_mhz, eirp_dbm }
}

/** Widths to choose from: what is offered, and what is set now even if it is not. */
export function widthChoices(blocks: Offered[], setting: RadioSetting): number[] {
  return [...new Set([...blocks.map((b) => b.width_mhz), setting.width_mhz])].sort((a, b) => a - b)
}

/** Blocks of the present width, the present one among them; and which channels stand there twice. */
export function channelChoices(blocks: Offered[], setting: RadioSetting) {
  const options = blocks.filter((b) => b.width_mhz === setting.width_mhz)
  const same = options.filter((b) => b.channel === setting.channel)
  const present = same.find((b) => b.centre_mhz === setting.centre_mhz) ?? same[0]
  const seen = new Set<number>()
  const twice = new Set(
    options.filter((b) => seen.has(b.channel) || !seen.add(b.channel)).map((b) => b.channel),
  )
  if (present) return { options, present, twice }
  const unlisted: Offered = {
    channel: setting.channel,
    width_mhz: setting.width_mhz,
    centre_mhz: setting.centre_mhz ?? 0,
    max_eirp_dbm: 0,
    dfs: false,
    indoor_only: false,
  }
  return { options: [unlisted, ...options], present: unlisted, twice }
}
