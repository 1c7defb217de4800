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

/** A cable, before it is told where it goes. */
export const CABLE = {
  to_node_id: '',
  band: null,
  rssi_dbm: null,
  radio_id: null,
  to_radio_id: null,
  switch_id: null,
}
