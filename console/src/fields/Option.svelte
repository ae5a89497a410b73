<script lang="ts">
  import { numberText } from '../lib/words';
  // One of several choices: a box where many can be chosen, else a button of a group.
  type Props = { name: string; many?: boolean; checked: boolean; change: (on: boolean) => void; label: string; count?: number };
  let { name, many = false, checked, change, label, count }: Props = $props();
</script>

<label class="flex cursor-pointer items-center gap-2">
  <input
    class="{many ? 'checkbox' : 'radio'} size-[15px] accent-deep"
    type={many ? 'checkbox' : 'radio'}
    {name}
    {checked}
    onchange={(e) => change(e.currentTarget.checked)}
  />
  <span class="flex-1">{label}</span>
  {#if count}<span class="pe-1.5 text-[13.5px] text-quiet">{numberText(count)}</span>{/if}
</label>
