import type { InputHTMLAttributes } from 'react';

interface FormFieldProps extends Omit<InputHTMLAttributes<HTMLInputElement>, 'onChange'> {
  readonly label: string;
  readonly value: string;
  readonly set: (value: string) => void;
}

/** A field of a form, under its label. */
export function FormField({ label, set, ...input }: FormFieldProps) {
  return (
    <label>
      {label}
      <input {...input} onChange={(event) => set(event.currentTarget.value)} />
    </label>
  );
}
