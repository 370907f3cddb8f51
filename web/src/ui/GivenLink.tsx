import { Button, CopyButton, Group, Text, TextInput } from '@mantine/core';
import type { MadeLink } from '../api/calls';
import { plural } from './units';

/** A link that was made, to be given to somebody; it is shown once. */
export function GivenLink({ link, what, isOnce = true }: { link: MadeLink; what: string; isOnce?: boolean }) {
  const address = `${window.location.origin}${link.path}`;
  return (
    <div role="status">
      <Text size="sm" mt="sm" mb={4}>
        {what}{' '}
        {isOnce
          ? `It can be used once, within ${plural(link.days, 'day')}, and is shown only now.`
          : `It is good for ${plural(link.days, 'day')}, and is shown only now.`}
      </Text>
      <Group gap="xs" wrap="nowrap">
        <TextInput
          aria-label="Link"
          readOnly
          value={address}
          style={{ flex: 1 }}
          onFocus={(event) => event.currentTarget.select()}
        />
        <CopyButton value={address}>
          {({ copied, copy }) => (
            <Button variant="default" onClick={copy}>
              {copied ? 'Copied' : 'Copy link'}
            </Button>
          )}
        </CopyButton>
      </Group>
    </div>
  );
}
