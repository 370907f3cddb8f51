import { Button, PasswordInput, Stack, Text, TextInput, Title } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { followLink, useLink } from '../api/calls';
import type { Schemas } from '../api/client';
import { useSubmit } from '../ui/useSubmit';
import { Wordmark } from '../ui/Wordmark';
import { SignInForm } from './SignInPage';
import classes from './SignInPage.module.css';
import { comeInPage as words } from './words';

type Opened = Schemas['OpenedLink'];

/** Where a link leads that somebody was given: an account of their own, a project, or a new password. */
export function ComeInPage({ user }: { user: string | null }) {
  const { token = '' } = useParams();
  const link = useLink(token);
  return (
    <main className={classes.page}>
      <title>{words.invitationYuplet}</title>
      <div className={classes.sheet}>
        <Wordmark />
        {link.error && (
          <Text role="alert" mt="md">
            {link.error.message}
          </Text>
        )}
        {link.data && <Inside token={token} link={link.data} user={user} />}
      </div>
    </main>
  );
}

function Inside({ token, link, user }: { token: string; link: Opened; user: string | null }) {
  const isMember = link.project !== null && user !== null;
  if (link.purpose === 'project' && user === null)
    return (
      <>
        <Heading link={link} />
        <SignInForm />
      </>
    );
  return (
    <>
      <Heading link={link} />
      <Form token={token} link={link} user={isMember ? user : null} />
    </>
  );
}

function Heading({ link }: { link: Opened }) {
  const title =
    link.purpose === 'password' ? words.newPassword : link.project ? words.join(link.project) : words.createAnAccount;
  return (
    <>
      <Title order={1} size="h3" mt="md">
        {title}
      </Title>
      <Text c="dimmed" mb="md">
        {link.purpose === 'password'
          ? words.forTheAccountAll(link.account)
          : words.invitedYou(link.made_by, link.project ? words.as(link.role) : '')}
        {link.purpose === 'project' && words.signInWithYourAccount}
      </Text>
    </>
  );
}

/** What is still needed; nothing where somebody who is signed in joins a project. */
function Form({ token, link, user }: { token: string; link: Opened; user: string | null }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    await followLink(token, name, password);
    await queries.invalidateQueries({ queryKey: ['session'] });
    await queries.invalidateQueries({ queryKey: ['projects'] });
    navigate('/', { replace: true });
  });
  return (
    <form onSubmit={submit}>
      <Stack gap="sm">
        {user !== null && <Text>{words.youAreSignedInAs(user)}</Text>}
        {user === null && link.purpose === 'account' && (
          <TextInput
            label={words.account}
            description={words.theNameThatOthersSee}
            autoComplete="username"
            autoFocus
            required
            value={name}
            onChange={(event) => setName(event.currentTarget.value)}
          />
        )}
        {user === null && (
          <PasswordInput
            label={words.passwordAtLeast10Characters}
            autoComplete="new-password"
            required
            value={password}
            onChange={(event) => setPassword(event.currentTarget.value)}
          />
        )}
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Button type="submit" loading={isWaiting}>
          {user !== null ? words.joinButton : link.purpose === 'password' ? words.setPassword : words.createAccount}
        </Button>
      </Stack>
    </form>
  );
}
