<script lang="ts">
  import { dbm, fixed } from '../lib/format'
  import { levelShare } from './sheet'

  let {
    rssiDbm,
    word,
    spreadDb = null,
  }: { rssiDbm: number | null; word: string; spreadDb?: number | null } = $props()
  const share = $derived(rssiDbm === null ? 0 : levelShare(rssiDbm))
</script>

<span class="inline-grid w-full min-w-36 grid-cols-[auto_1fr] items-baseline gap-x-2 leading-none">
  <span class="figure">{dbm(rssiDbm)}</span>
  <span class="text-xs whitespace-nowrap text-soft">{word}{spreadDb ? ` ±${fixed(spreadDb)}` : ''}</span>
  <svg
    viewBox="0 0 100 6"
    class="col-span-2 mt-1 block h-1.5 w-full"
    preserveAspectRatio="none"
    aria-hidden="true"
  >
    <line x1="0" x2="100" y1="5" y2="5" class="stroke-rule" vector-effect="non-scaling-stroke" />
    <rect x="0" y="1" width={share * 100} height="3" class="fill-ink" />
    <line
      x1={share * 100}
      x2={share * 100}
      y1="0"
      y2="6"
      class="stroke-ink"
      stroke-width="2"
      vector-effect="non-scaling-stroke"
    />
  </svg>
</span>
