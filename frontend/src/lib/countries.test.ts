import { describe, expect, it } from 'vitest'
import { byName, countryName, guessed } from './countries'

describe('countries', () => {
  it('have names', () => {
    expect(countryName('NL')).toBe('Netherlands')
    expect(countryName('not a code')).toBe('not a code')
    expect(byName(['NL', 'AT', 'DE']).map(([code]) => code)).toEqual(['AT', 'DE', 'NL'])
  })
  it('are guessed from a language that names one, and from no other', () => {
    expect(guessed(['NL', 'US'], ['en', 'nl-NL', 'en-US'])).toBe('NL')
    expect(guessed(['NL'], ['en', 'xx-', 'pt-BR'])).toBe('')
  })
})
