import { Autocomplete, Button, NativeSelect, Textarea, TextInput } from '@mantine/core';
import { useState } from 'react';
import { type Credit, sayCredit, useLicences, type WholeIllustration } from '../../api/calls';
import classes from './BringIn.module.css';
import { creditForm as words } from './words';

const FIELDS = [
  ['author', words.author],
  ['title', words.title],
  ['source', words.sourceUrl],
] as const;
const ATTRIBUTION = [
  { value: '', label: words.unknown },
  { value: 'yes', label: words.required },
  { value: 'no', label: words.notRequired },
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
      setSaid(words.savedEveryPackageFromNow);
      onChanged();
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const attribution = credit.attribution === null ? '' : credit.attribution ? 'yes' : 'no';
  return (
    <form onSubmit={save} className={classes.form}>
      <p>{words.everyPackageCarriesThisCredit}</p>
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
        label={words.licence}
        description={words.spdxIdentifierOrYourOwn}
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
        label={words.attribution}
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
        label={words.note}
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
          {words.saveCredit}
        </Button>
      )}
      <p role="status">{said}</p>
    </form>
  );
}
