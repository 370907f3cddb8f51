import { Button, Divider, PasswordInput, Stack, Text, TextInput, Title } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { goToService, signIn, useSession } from '../api/calls';
import { Refusal } from '../api/client';
import { useSubmit } from '../ui/useSubmit';
import { Wordmark } from '../ui/Wordmark';
import classes from './SignInPage.module.css';
import { signInPage as words } from './words';

export function SignInPage() {
  return (
    <main className={classes.page}>
      <title>{words.signInYuplet}</title>
      <div className={classes.sheet}>
        <Wordmark />
        <Title order={1} size="h3" mt="md">
          {words.signIn}
        </Title>
        <Text c="dimmed" mb="md">
          {words.takeAPictureApartName}
        </Text>
        <SignInForm />
        <Text c="dimmed" size="sm" mt="md">
          {words.theDemoAccount}
        </Text>
      </div>
    </main>
  );
}

export function SignInForm() {
  const queries = useQueryClient();
  const { data: session } = useSession();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [code, setCode] = useState('');
  const [needsCode, setNeedsCode] = useState(false);
  const { submit, error, isWaiting } = useSubmit(async () => {
    try {
      queries.setQueryData(['session'], await signIn(name, password, code));
    } catch (problem) {
      if (!(problem instanceof Refusal && problem.code === 'code-needed')) throw problem;
      setNeedsCode(true);
    }
  });
  return (
    <form onSubmit={submit}>
      <Stack gap="sm">
        <TextInput
          label={words.account}
          autoComplete="username"
          autoFocus
          required
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <PasswordInput
          label={words.password}
          autoComplete="current-password"
          required
          value={password}
          onChange={(event) => setPassword(event.currentTarget.value)}
        />
        {needsCode && (
          <TextInput
            label={words.code}
            description={words.theSixDigits}
            autoComplete="one-time-code"
            autoFocus
            required
            value={code}
            onChange={(event) => setCode(event.currentTarget.value)}
          />
        )}
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Button type="submit" loading={isWaiting}>
          {words.signIn}
        </Button>
        {session?.service && <ServiceButton name={session.service} />}
      </Stack>
    </form>
  );
}

function ServiceButton({ name }: { name: string }) {
  const [error, setError] = useState<string | null>(null);
  return (
    <>
      <Divider label={words.or} />
      <Button variant="default" onClick={() => goToService(false).catch((problem: Error) => setError(problem.message))}>
        {words.signInWith(name)}
      </Button>
      <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
    </>
  );
}
