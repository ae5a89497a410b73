<script lang="ts">
  import { say } from '../lib/words';
  // Several days, one on each line.
  type Props = { label: string; value: string; describedby: string; invalid: boolean; oninput: (text: string) => void };
  let { label, value, describedby, invalid, oninput }: Props = $props();
</script>

<textarea
  class="textarea bg-field text-[15px]/[1.42] placeholder:text-quiet {invalid ? 'ring-brick' : 'ring-edge'}"
  rows={Math.max(3, value.split('\n').length)}
  aria-label={label}
  aria-invalid={invalid}
  aria-describedby={describedby}
  placeholder={say('One day on each line')}
  {value}
  oninput={(e) => oninput(e.currentTarget.value)}></textarea>
