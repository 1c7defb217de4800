<script lang="ts">
  import ReportChange from '../../draw/ReportChange.svelte'
  import ReportSpectrum from '../../draw/ReportSpectrum.svelte'
  import { prose } from '../../lib/format'
  import type { Report } from '../../lib/types'

  let { section }: { section: Report['household'][number] } = $props()
</script>

<section class="mb-4 break-inside-avoid-page" aria-label={section.title}>
  <h3 class="mb-1">{section.title}</h3>
  {#each section.blocks as block, i (i)}
    {#if block.kind === 'text'}
      <p class="mb-1" class:font-semibold={block.strong}>{prose(block.text)}</p>
    {:else if block.kind === 'list'}
      <ul class="mb-1 list-disc pl-5">
        {#each block.items as item, n (n)}<li>{prose(item)}</li>{/each}
      </ul>
    {:else if block.kind === 'table'}
      <div class="mb-2 overflow-x-auto">
        <table class="ledger text-sm">
          <thead
            ><tr
              >{#each block.head as h, c (c)}<th class:number={block.figures.includes(c)}>{h}</th>{/each}</tr
            ></thead
          >
          <tbody>
            {#each block.rows as row, n (n)}
              <tr
                >{#each row as cell, c (c)}<td class:number={block.figures.includes(c)}>{prose(cell)}</td
                  >{/each}</tr
              >
            {/each}
          </tbody>
        </table>
      </div>
    {:else if block.kind === 'change'}<ReportChange {block} />
    {:else}<ReportSpectrum {block} />{/if}
  {/each}
</section>
