import { Button, CopyButton, Group, Text, TextInput } from '@mantine/core';
import { useState } from 'react';
import { type MadeLink, mailLink, useSession } from '../api/calls';
import { useSubmit } from './useSubmit';
import { givenLink as words } from './words';

/** A link that was made, to be given to somebody; it is shown once. */
export function GivenLink({ link, what, isOnce = true }: { link: MadeLink; what: string; isOnce?: boolean }) {
  const canMail = useSession().data?.can_mail ?? false;
  const address = `${window.location.origin}${link.path}`;
  return (
    <div role="status">
      <Text size="sm" mt="sm" mb={4}>
        {what} {isOnce ? words.goodOnceWithinCopy(link.days) : words.goodForCopyTheLink(link.days)}
      </Text>
      <Group gap="xs" wrap="nowrap">
        <TextInput
          aria-label={words.link}
          readOnly
          value={address}
          style={{ flex: 1 }}
          onFocus={(event) => event.currentTarget.select()}
        />
        <CopyButton value={address}>
          {({ copied, copy }) => (
            <Button variant="default" onClick={copy}>
              {copied ? words.copied : words.copyLink}
            </Button>
          )}
        </CopyButton>
      </Group>
      {isOnce && canMail && <Mail key={link.path} path={link.path} />}
    </div>
  );
}

/** Sending it instead, where the server knows a mail server. */
function Mail({ path }: { path: string }) {
  const [to, setTo] = useState('');
  const [sent, setSent] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    setSent('');
    await mailLink(path, to);
    setSent(to);
    setTo('');
  });
  return (
    <form onSubmit={submit}>
      <Group gap="xs" mt="xs" wrap="nowrap" align="flex-end">
        <TextInput
          label={words.orSendByMailTo}
          type="email"
          required
          value={to}
          style={{ flex: 1 }}
          onChange={(event) => setTo(event.currentTarget.value)}
        />
        <Button type="submit" variant="default" loading={isWaiting}>
          {words.send}
        </Button>
      </Group>
      {sent && <Text size="sm">{words.sentTo(sent)}</Text>}
      {error && (
        <Text size="sm" role="alert" c="var(--mantine-color-error)">
          {error}
        </Text>
      )}
    </form>
  );
}
