import { Button, PasswordInput, Stack, Text, TextInput, Title } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { signIn } from '../api/calls';
import { useSubmit } from '../ui/useSubmit';
import { Wordmark } from '../ui/Wordmark';
import classes from './SignInPage.module.css';

export function SignInPage() {
  return (
    <main className={classes.page}>
      <title>Sign in · Yuplet</title>
      <div className={classes.sheet}>
        <Wordmark />
        <Title order={1} size="h3" mt="md">
          Sign in
        </Title>
        <Text c="dimmed" mb="md">
          Take a picture apart, name and order its parts, and hand them over with every place kept.
        </Text>
        <SignInForm />
        <Text c="dimmed" size="sm" mt="md">
          The demo account and its password are printed where Yuplet was started.
        </Text>
      </div>
    </main>
  );
}

export function SignInForm() {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    queries.setQueryData(['session'], await signIn(name, password));
  });
  return (
    <form onSubmit={submit}>
      <Stack gap="sm">
        <TextInput
          label="Account"
          autoComplete="username"
          autoFocus
          required
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <PasswordInput
          label="Password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(event) => setPassword(event.currentTarget.value)}
        />
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Button type="submit" loading={isWaiting}>
          Sign in
        </Button>
      </Stack>
    </form>
  );
}
