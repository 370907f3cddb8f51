import { Checkbox, NativeSelect, NumberInput, Textarea, TextInput } from '@mantine/core';
import type { Schemas } from '../../api/client';
import { nameChangeFields as words } from './words';

type Change = Schemas['NameChangeRequest'];

interface Props {
  change: Change;
  onChange: (next: Partial<Change>) => void;
}

const SIDES = [
  { value: 'before', label: words.beforeTheName },
  { value: 'after', label: words.afterTheName },
];
const ORDERS = [
  { value: 'back', label: words.fromTheBack },
  { value: 'front', label: words.fromTheFront },
  { value: 'chosen', label: words.orderOfSelection },
];
const NUMBERS = [
  ['start', words.from, 0, 1_000_000],
  ['width', words.minimumDigits, 1, 9],
] as const;

/** The numbers and texts of one change. */
export function NameChangeFields({ change, onChange }: Props) {
  switch (change.do) {
    case 'replace':
      return <ReplaceFields change={change} onChange={onChange} />;
    case 'letter-case':
      return (
        <NativeSelect
          size="xs"
          label={words.letterCase}
          data={[
            { value: 'lower', label: words.lowerCase },
            { value: 'upper', label: words.upperCase },
            { value: 'first', label: words.firstLetterCapital },
            { value: 'each', label: words.everyWordCapital },
          ]}
          value={change.letters ?? 'lower'}
          onChange={(event) => onChange({ letters: event.currentTarget.value as NonNullable<Change['letters']> })}
        />
      );
    case 'add':
    case 'take-away':
      return (
        <>
          <TextInput
            size="xs"
            label={words.text}
            maxLength={200}
            value={change.text ?? ''}
            onChange={(event) => onChange({ text: event.currentTarget.value })}
          />
          <Where change={change} onChange={onChange} />
        </>
      );
    case 'number':
      return <NumberFields change={change} onChange={onChange} />;
    case 'listed':
      return (
        <>
          <Textarea
            size="xs"
            label={words.namesOneALine}
            data-autofocus
            rows={4}
            value={(change.listed ?? []).join('\n')}
            onChange={(event) => onChange({ listed: event.currentTarget.value.split('\n') })}
          />
          <InOrder change={change} onChange={onChange} />
        </>
      );
    default:
      return null;
  }
}

function ReplaceFields({ change, onChange }: Props) {
  return (
    <>
      <TextInput
        size="xs"
        label={words.find}
        maxLength={200}
        value={change.find ?? ''}
        onChange={(event) => onChange({ find: event.currentTarget.value })}
      />
      <TextInput
        size="xs"
        label={words.replaceWith}
        maxLength={200}
        value={change.by ?? ''}
        onChange={(event) => onChange({ by: event.currentTarget.value })}
      />
      <NativeSelect
        size="xs"
        label={words.found}
        data={[
          { value: 'text', label: words.anywhere },
          { value: 'word', label: words.wholeWord },
          { value: 'pattern', label: words.regularExpression },
        ]}
        value={change.matching ?? 'text'}
        onChange={(event) => onChange({ matching: event.currentTarget.value as NonNullable<Change['matching']> })}
      />
      <Checkbox
        size="xs"
        label={words.matchCase}
        checked={change.as_written ?? true}
        onChange={(event) => onChange({ as_written: event.currentTarget.checked })}
      />
    </>
  );
}

function NumberFields({ change, onChange }: Props) {
  return (
    <>
      {NUMBERS.map(([key, label, min, max]) => (
        <NumberInput
          key={key}
          size="xs"
          label={label}
          min={min}
          max={max}
          allowDecimal={false}
          value={change[key] ?? min}
          onChange={(value) => onChange({ [key]: Number(value) || min })}
        />
      ))}
      <TextInput
        size="xs"
        label={words.betweenNameAndNumber}
        maxLength={20}
        value={change.separator ?? ''}
        onChange={(event) => onChange({ separator: event.currentTarget.value })}
      />
      <Where change={change} onChange={onChange} />
      <InOrder change={change} onChange={onChange} />
      <Checkbox
        size="xs"
        label={words.restartInEachGroup}
        checked={change.anew ?? false}
        onChange={(event) => onChange({ anew: event.currentTarget.checked })}
      />
      <Checkbox
        size="xs"
        label={words.replaceExistingNumbers}
        checked={change.instead ?? false}
        onChange={(event) => onChange({ instead: event.currentTarget.checked })}
      />
    </>
  );
}

function Where({ change, onChange }: Props) {
  return (
    <NativeSelect
      size="xs"
      label={words.where}
      data={SIDES}
      value={change.side ?? 'before'}
      onChange={(event) => onChange({ side: event.currentTarget.value as NonNullable<Change['side']> })}
    />
  );
}

function InOrder({ change, onChange }: Props) {
  return (
    <NativeSelect
      size="xs"
      label={words.order}
      data={ORDERS}
      value={change.counted ?? 'back'}
      onChange={(event) => onChange({ counted: event.currentTarget.value as NonNullable<Change['counted']> })}
    />
  );
}
