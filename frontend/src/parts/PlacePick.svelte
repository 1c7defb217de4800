<script lang="ts">
  import type { CallState } from '../state/call.svelte'
  import Field from './Field.svelte'
  import Picker from './Picker.svelte'

  /** A place of the call, or a new one that is named on the spot. */
  interface Props {
    call: CallState
    label: string
    value: string
  }
  let { call, label, value = $bindable() }: Props = $props()
  const NEW = ' new'
  let name = $state('')
  let picked = $state('')
  const naming = $derived(!call.job.places.length || picked === NEW)
  const options = $derived([
    ...call.job.places.map((place) => [place.id, place.name] as const),
    [NEW, 'a new place…'] as const,
  ])

  function pick(chosen: string) {
    picked = chosen
    value = chosen === NEW ? '' : chosen
  }
  async function add() {
    const wanted = name.trim()
    if (!wanted) return
    // Enter and leaving the field both come here: the second finds nothing left to add.
    name = ''
    if (await call.add('places', { name: wanted, storey: 0, outdoors: false }, `added the place ${wanted}`))
      pick(call.job.places.at(-1)?.id ?? '')
    else name = wanted
  }
</script>

{#if naming}
  <Field {label}
    ><input
      class="field text-base text-ink"
      placeholder="name the room"
      maxlength="80"
      required
      bind:value={name}
      onkeydown={(e) => {
        if (e.key !== 'Enter') return
        e.preventDefault()
        void add()
      }}
      onblur={() => void add()}
    /></Field
  >
{:else}
  <Field {label}
    ><Picker
      class="field text-base text-ink"
      {value}
      required
      empty="choose"
      {options}
      onchange={(e) => pick(e.currentTarget.value)}
    /></Field
  >
{/if}
