import { Button, Group, NativeSelect, NumberInput, Text, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type Delivery, deliver, type HandOver, type MadeLink, takeBack, useDeliveries } from '../../api/calls';
import { GivenLink } from '../../ui/GivenLink';
import { Remarks } from '../../ui/Remarks';
import { useSubmit } from '../../ui/useSubmit';
import classes from './HandOver.module.css';
import { receivers as words } from './words';

interface Props {
  illustration: number;
  handOvers: readonly HandOver[];
  canEdit: boolean;
  /** Choose a part of the illustration, where it is still there. */
  onShow: (part: string) => void;
}

/** Links for people without an account, and what they said of parts. */
export function Receivers({ illustration, handOvers, canEdit, onShow }: Props) {
  const queries = useQueryClient();
  const deliveries = useDeliveries(illustration);
  const open = deliveries.data?.filter((one) => one.is_open) ?? [];
  const kept = handOvers.filter((one) => one.package_bytes > 0);
  const end = async (one: Delivery) => {
    await takeBack(one.id);
    await queries.invalidateQueries({ queryKey: ['deliveries', illustration] });
  };
  return (
    <>
      <Remarks illustration={illustration} canEdit={canEdit} onShow={onShow} />
      <section aria-label={words.linksForRecipients}>
        <h3>{words.linksForRecipients}</h3>
        <p className={classes.facts}>{words.anyoneWithTheLinkSees}</p>
        <ul className={classes.past}>
          {open.map((one) => (
            <li key={one.id}>
              <strong>{one.to}</strong>:{' '}
              {one.number === null ? words.theNewestBy(one.recipe) : words.numbered(one.number)}
              <p className={classes.facts}>{words.untilSeenDownloaded(one.ends_at, one.seen, one.taken)}</p>
              {canEdit && (
                <Button size="compact-xs" variant="default" onClick={() => end(one)}>
                  {words.revokeTheLinkFor(one.to)}
                </Button>
              )}
            </li>
          ))}
        </ul>
        {canEdit && kept.length > 0 && <NewDelivery illustration={illustration} kept={kept} />}
      </section>
    </>
  );
}

function NewDelivery({ illustration, kept }: { illustration: number; kept: readonly HandOver[] }) {
  const queries = useQueryClient();
  const [to, setTo] = useState('');
  const [days, setDays] = useState<string | number>(30);
  const recipes = [...new Set(kept.map((one) => one.recipe))];
  const what = [
    ...recipes.map((recipe) => ({ value: `newest ${recipe}`, label: words.newestBy(recipe) })),
    ...kept.map((one) => ({ value: `one ${one.id}`, label: words.no(one.number, one.recipe) })),
  ];
  const [chosen, setChosen] = useState(what[0]?.value ?? '');
  const [given, setGiven] = useState<{ link: MadeLink; to: string } | null>(null);
  const { submit, error, isWaiting } = useSubmit(async () => {
    setGiven(null);
    const isOne = chosen.startsWith('one ');
    const link = await deliver(illustration, {
      to,
      days: Number(days),
      hand_over: isOne ? Number(chosen.slice(4)) : null,
      recipe: isOne ? '' : chosen.slice('newest '.length),
    });
    setGiven({ link, to });
    setTo('');
    await queries.invalidateQueries({ queryKey: ['deliveries', illustration] });
  });
  return (
    <form onSubmit={submit}>
      <Group align="flex-end" gap="xs" grow>
        <TextInput
          size="xs"
          label={words.for}
          placeholder={words.recipientToTellLinksApart}
          required
          value={to}
          onChange={(event) => setTo(event.currentTarget.value)}
        />
        <NumberInput size="xs" label={words.days} required min={1} max={365} value={days} onChange={setDays} />
      </Group>
      <NativeSelect
        size="xs"
        mt={6}
        label={words.package}
        data={what}
        value={chosen}
        onChange={(event) => setChosen(event.currentTarget.value)}
      />
      <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
      <Button type="submit" size="compact-sm" mt={8} loading={isWaiting}>
        {words.createLink}
      </Button>
      {given && <GivenLink link={given.link} what={words.giveThisLinkTo(given.to)} isOnce={false} />}
    </form>
  );
}
