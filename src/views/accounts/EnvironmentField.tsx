import { useId } from 'react';

interface EnvironmentFieldProps {
  readonly value: string;
  /** Those that requests came from; others can be typed. */
  readonly known: readonly string[];
  readonly set: (value: string) => void;
}

/** A field for an environment, which proposes those that are known. */
export function EnvironmentField({ value, known, set }: EnvironmentFieldProps) {
  const list = useId();
  return (
    <label>
      Environment
      <input value={value} required maxLength={100} size={14} list={list} onChange={(event) => set(event.currentTarget.value)} />
      <datalist id={list}>
        {known.map((it) => (
          <option key={it} value={it} />
        ))}
      </datalist>
    </label>
  );
}
