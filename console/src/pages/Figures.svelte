<script lang="ts">
  import type { Evidence } from '../lib/api';

  // Where all records lie beside the period, and what each condition left of them.
  let { evidence }: { evidence: Evidence } = $props();

  const all = $derived(evidence.all ?? 0);
  const number = (n: number) => n.toLocaleString('en');
  const classes = $derived.by(() => {
    const p = evidence.period;
    if (!p) return [];
    const named: [string, number, boolean][] = [
      ['before', p.before, !!p.excluded],
      ['inside', p.inside, !p.excluded],
      ['between', p.between ?? 0, !!p.excluded],
      ['after', p.after, !!p.excluded],
      ['without a date', p.missing, !!p.excluded],
      ['unreadable', p.unreadable, !!p.excluded],
    ];
    return named.filter(([name, n]) => name !== 'between' || n > 0).map(([name, n, kept]) => ({ name, n, kept }));
  });
</script>

<div class="figures">
  {#if classes.length > 0}
    <table>
      <caption>All {number(all)} records, by {evidence.period?.column}</caption>
      <tbody>
        {#each classes as c (c.name)}
          <tr class:kept={c.kept}>
            <th scope="row">{c.name}</th>
            <td class="num">{number(c.n)}</td>
            <td class="bar"><span style:width="{all ? (100 * c.n) / all : 0}%"></span></td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
  {#if evidence.condition_counts.length > 0}
    <table>
      <caption>What each condition left</caption>
      <tbody>
        {#each evidence.condition_counts as step, i (i)}
          <tr class:none={step.left === 0}>
            <th scope="row">{step.says}</th>
            <td class="num">{number(step.left)}</td>
            <td class="took">took away {number(step.took_away)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</div>
{#if evidence.data_changed}
  <p class="warn">The data changed while they were counted. Run it again to see them as they are now.</p>
{/if}
{#each evidence.not_computed ?? [] as missing (missing)}<p class="warn">Not computed: {missing}.</p>{/each}

<style>
  .figures {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(340px, 100%), 1fr));
    gap: 8px 32px;
    margin: 10px 0;
  }
  table {
    border-collapse: collapse;
    font-size: 14px;
    align-self: start;
  }
  caption {
    text-align: left;
    font-weight: 640;
    padding-bottom: 3px;
  }
  th {
    text-align: left;
    font-weight: 400;
    padding: 2px 10px 2px 0;
  }
  td {
    padding: 2px 10px 2px 0;
    vertical-align: top;
  }
  .num {
    text-align: right;
    font-weight: 640;
    white-space: nowrap;
  }
  .took {
    color: var(--quiet);
    white-space: nowrap;
  }
  .bar {
    width: 50%;
  }
  .bar span {
    display: block;
    height: 9px;
    margin-top: 5px;
    background: light-dark(#c2cfcc, #38545a);
  }
  .kept .bar span {
    background: var(--deep);
  }
  .none .num {
    color: var(--brick);
  }
  .warn {
    color: var(--amber);
    font-size: 14px;
  }
</style>
