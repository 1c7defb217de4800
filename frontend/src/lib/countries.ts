/** Countries by name, and the one that this computer's settings suggest. */

const names = new Intl.DisplayNames(['en'], { type: 'region' })

/** A country's name by its code (ISO 3166); the code where no name is known. */
export const countryName = (code: string) => {
  try {
    return names.of(code) ?? code
  } catch {
    return code
  }
}

/** Codes with their names, by name, as a Picker takes them. */
export const byName = (codes: readonly string[]) =>
  codes.map((code) => [code, countryName(code)] as const).sort(([, a], [, b]) => a.localeCompare(b, 'en'))

/** The country of the first language that names one, if it is among those that are known; else none. */
export function guessed(codes: readonly string[], languages: readonly string[]): string {
  for (const language of languages) {
    try {
      const region = new Intl.Locale(language).region
      if (region && codes.includes(region)) return region
    } catch {
      continue
    }
  }
  return ''
}
