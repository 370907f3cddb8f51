import { Autocomplete, Button, NativeSelect, Textarea, TextInput } from '@mantine/core';
import { useState } from 'react';
import { type Credit, sayCredit, useLicences, type WholeIllustration } from '../../api/calls';
import classes from './BringIn.module.css';

const FIELDS = [
  ['author', 'Author'],
  ['title', 'Title'],
  ['source', 'Source URL'],
] as const;
const ATTRIBUTION = [
  { value: '', label: 'Unknown' },
  { value: 'yes', label: 'Required' },
  { value: 'no', label: 'Not required' },
];
const MOST = 40;

interface Props {
  illustration: WholeIllustration;
  canEdit: boolean;
  onChanged: () => void;
}

/** Who made the picture: it goes into every package. */
export function CreditForm({ illustration, canEdit, onChanged }: Props) {
  const [credit, setCredit] = useState<Credit>(illustration.credit);
  const [said, setSaid] = useState<string | null>(null);
  const licences = useLicences();
  const set = (change: Partial<Credit>) => {
    setCredit((before) => ({ ...before, ...change }));
    setSaid(null);
  };
  const save = async (event: React.FormEvent) => {
    event.preventDefault();
    try {
      const answer = await sayCredit(illustration.id, credit);
      setCredit(answer.credit);
      setSaid('Saved. Every package from now on carries this credit.');
      onChanged();
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const attribution = credit.attribution === null ? '' : credit.attribution ? 'yes' : 'no';
  return (
    <form onSubmit={save} className={classes.form}>
      <p>Every package carries this credit in its manifest and as CREDITS.txt. Values from the file are filled in.</p>
      {FIELDS.map(([field, label]) => (
        <TextInput
          key={field}
          label={label}
          size="xs"
          maxLength={2000}
          readOnly={!canEdit}
          value={credit[field] ?? ''}
          onChange={(event) => set({ [field]: event.currentTarget.value })}
        />
      ))}
      <Autocomplete
        label="Licence"
        description="SPDX identifier, or your own words"
        size="xs"
        maxLength={2000}
        readOnly={!canEdit}
        limit={MOST}
        data={licences.data?.map((licence) => licence.id) ?? []}
        renderOption={({ option }) => (
          <span>
            <strong>{option.value}</strong>
            <br />
            {licences.data?.find((licence) => licence.id === option.value)?.name}
          </span>
        )}
        value={credit.licence ?? ''}
        onChange={(licence) => set({ licence })}
      />
      <NativeSelect
        label="Attribution"
        size="xs"
        disabled={!canEdit}
        data={ATTRIBUTION}
        value={attribution}
        onChange={(event) => {
          const { value } = event.currentTarget;
          set({ attribution: value === '' ? null : value === 'yes' });
        }}
      />
      <Textarea
        label="Note"
        size="xs"
        autosize
        minRows={2}
        maxLength={2000}
        readOnly={!canEdit}
        value={credit.note ?? ''}
        onChange={(event) => set({ note: event.currentTarget.value })}
      />
      {canEdit && (
        <Button type="submit" size="compact-md">
          Save credit
        </Button>
      )}
      <p role="status">{said}</p>
    </form>
  );
}
