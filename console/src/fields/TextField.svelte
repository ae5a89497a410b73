<script lang="ts">
  // A text, a number, or one end of a range of numbers or times of day.
  type Props = {
    id: string;
    label: string;
    value: string;
    placeholder?: string;
    describedby: string;
    invalid: boolean;
    /** Of a number: what stands behind it. */
    unit?: string;
    isNumber?: boolean;
    oninput: (text: string) => void;
  };
  let { id, label, value, placeholder = '', describedby, invalid, unit, isNumber = false, oninput }: Props = $props();
</script>

<div class="flex items-center gap-2">
  <input
    {id}
    class="input bg-field text-[15px] placeholder:text-quiet {isNumber ? 'w-[110px]' : ''} {invalid ? 'ring-brick' : 'ring-edge'}"
    type="text"
    inputmode={isNumber ? 'decimal' : undefined}
    autocomplete="off"
    aria-label={label}
    aria-invalid={invalid}
    aria-describedby={describedby}
    {placeholder}
    {value}
    oninput={(e) => oninput(e.currentTarget.value)}
  />
  {#if unit}<span class="text-quiet">{unit}</span>{/if}
</div>
