import { useForm } from 'react-hook-form';
import { Labelled, TextField } from './controls';

/** A field that saves with Enter or on leaving it, and goes back with Escape. */
export function OneField({
  label,
  value,
  check,
  onSave,
  mono = false,
  id,
}: {
  label: string;
  value: string;
  /** The problem of a value, or null. */
  check: (value: string) => string | null;
  onSave: (value: string) => void;
  mono?: boolean;
  id?: string;
}) {
  const { register, handleSubmit, reset, formState } = useForm<{ value: string }>({ values: { value } });
  const save = handleSubmit((form) => {
    if (form.value.trim() !== value) onSave(form.value);
  });
  return (
    <form onSubmit={(e) => void save(e)} noValidate>
      <Labelled label={label} error={formState.errors.value?.message}>
        <TextField
          {...(id === undefined ? {} : { id })}
          className={`w-full ${mono ? 'font-mono' : ''}`}
          aria-invalid={!!formState.errors.value}
          onKeyDown={(e) => e.key === 'Escape' && reset({ value })}
          {...register('value', { validate: (v) => check(v) ?? true, onBlur: () => void save() })}
        />
      </Labelled>
    </form>
  );
}
