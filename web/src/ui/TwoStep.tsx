import { Button, Code, Group, List, PasswordInput, Stack, Text, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { newRecoveryCodes, newSecret, turnTwoStepOff, turnTwoStepOn, useTwoStep } from '../api/calls';
import type { Schemas } from '../api/client';
import { useSubmit } from './useSubmit';
import { twoStep as words } from './words';

/** Two-step sign-in of one's own account: turning it on, new recovery codes, and turning it off. */
export function TwoStep() {
  const queries = useQueryClient();
  const state = useTwoStep();
  const [secret, setSecret] = useState<Schemas['NewSecret'] | null>(null);
  const [codes, setCodes] = useState<string[] | null>(null);
  const begin = useSubmit(async () => setSecret(await newSecret()));
  const told = async (fresh: string[] | null) => {
    setSecret(null);
    setCodes(fresh);
    await queries.invalidateQueries({ queryKey: ['two-step'] });
  };
  if (codes) return <RecoveryCodes codes={codes} onDone={() => setCodes(null)} />;
  if (secret)
    return (
      <TurnOn secret={secret} onSend={async (password, code) => told((await turnTwoStepOn(password, code)).codes)} />
    );
  if (!state.data) return <Text role="alert">{state.error?.message}</Text>;
  if (state.data.since === null)
    return (
      <form onSubmit={begin.submit}>
        <Stack gap="sm">
          <Text>{words.twoStepSignInAsks}</Text>
          <div role="alert">{begin.error && <Text c="var(--mantine-color-error)">{begin.error}</Text>}</div>
          <Group justify="flex-end">
            <Button type="submit" loading={begin.isWaiting}>
              {words.setUp}
            </Button>
          </Group>
        </Stack>
      </form>
    );
  return (
    <IsOn
      since={state.data.since}
      left={state.data.codes_left}
      onCodes={async (password) => told((await newRecoveryCodes(password)).codes)}
      onOff={async (password) => {
        await turnTwoStepOff(password);
        await told(null);
      }}
    />
  );
}

interface TurnOnProps {
  secret: Schemas['NewSecret'];
  onSend: (password: string, code: string) => Promise<void>;
}

function TurnOn({ secret, onSend }: TurnOnProps) {
  const [password, setPassword] = useState('');
  const [code, setCode] = useState('');
  const { submit, error, isWaiting } = useSubmit(() => onSend(password, code));
  return (
    <form onSubmit={submit}>
      <Stack gap="sm">
        <List type="ordered" size="sm" spacing="xs">
          <List.Item>{words.scanTheQrCode}</List.Item>
          <List.Item>{words.enterTheSixDigits}</List.Item>
        </List>
        <Group wrap="nowrap" align="flex-start">
          <img src={secret.picture} alt={words.qrCodeWithTheKey} width={180} height={180} />
          <div>
            <Text size="sm" fw={600}>
              {words.key}
            </Text>
            <Code style={{ overflowWrap: 'anywhere' }}>{secret.secret.match(/.{4}/g)?.join(' ')}</Code>
          </div>
        </Group>
        <TextInput
          label={words.code}
          autoComplete="one-time-code"
          inputMode="numeric"
          required
          value={code}
          onChange={(event) => setCode(event.currentTarget.value)}
        />
        <Password value={password} onChange={setPassword} />
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Group justify="flex-end">
          <Button type="submit" loading={isWaiting}>
            {words.turnOn}
          </Button>
        </Group>
      </Stack>
    </form>
  );
}

function RecoveryCodes({ codes, onDone }: { codes: string[]; onDone: () => void }) {
  const file = `data:text/plain;charset=utf-8,${encodeURIComponent(`${codes.join('\n')}\n`)}`;
  return (
    <Stack gap="sm">
      <Text>{words.keepTheseRecoveryCodes}</Text>
      <Code block aria-label={words.recoveryCodes}>
        {codes.join('\n')}
      </Code>
      <Group justify="flex-end">
        <Button variant="default" component="a" href={file} download="yuplet-recovery-codes.txt">
          {words.download}
        </Button>
        <Button onClick={onDone}>{words.done}</Button>
      </Group>
    </Stack>
  );
}

interface IsOnProps {
  since: string;
  left: number;
  onCodes: (password: string) => Promise<void>;
  onOff: (password: string) => Promise<void>;
}

function IsOn({ since, left, onCodes, onOff }: IsOnProps) {
  const [password, setPassword] = useState('');
  const off = useSubmit(() => onOff(password));
  const codes = useSubmit(() => onCodes(password));
  return (
    <form onSubmit={codes.submit}>
      <Stack gap="sm">
        <Text>{words.onSinceLeft(since, left)}</Text>
        <Password value={password} onChange={setPassword} />
        <div role="alert">
          {(codes.error ?? off.error) && <Text c="var(--mantine-color-error)">{codes.error ?? off.error}</Text>}
        </div>
        <Group justify="flex-end">
          <Button variant="default" loading={off.isWaiting} onClick={off.submit}>
            {words.turnOff}
          </Button>
          <Button type="submit" loading={codes.isWaiting}>
            {words.newRecoveryCodes}
          </Button>
        </Group>
      </Stack>
    </form>
  );
}

function Password({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <PasswordInput
      label={words.yourPassword}
      autoComplete="current-password"
      required
      value={value}
      onChange={(event) => onChange(event.currentTarget.value)}
    />
  );
}
