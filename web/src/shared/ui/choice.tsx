import { ToggleGroup } from "radix-ui";

type Props<T extends string> = {
  label: string;
  value: T;
  choices: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
};

/** One choice of a few, side by side; arrow keys move between them. */
export function Choice<T extends string>({ label, value, choices, onChange }: Props<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      value={value}
      onValueChange={(next) => next && onChange(next as T)}
      aria-label={label}
      className="inline-flex flex-wrap gap-x-4 gap-y-1"
    >
      {choices.map(([key, words]) => (
        <ToggleGroup.Item
          key={key}
          value={key}
          className="border-b-2 border-transparent pb-0.5 text-ink-soft hover:text-ink data-[state=on]:border-thistle data-[state=on]:text-ink"
        >
          {words}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
