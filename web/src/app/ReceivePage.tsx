import { Button, Center, Loader, Text, Textarea, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams } from 'react-router';
import { type Received, sayRemark, useReceived } from '../api/calls';
import { useSubmit } from '../ui/useSubmit';
import { Wordmark } from '../ui/Wordmark';
import classes from './ReceivePage.module.css';
import { receivePage as words } from './words';

type Part = Received['parts'][number];

/** A package for somebody without an account: the picture, its parts and their places, the download, and what there is to say. */
export function ReceivePage() {
  const { token = '' } = useParams();
  const received = useReceived(token);
  if (received.isPending)
    return (
      <Center h="100%">
        <Loader role="status" aria-label={words.loading} />
      </Center>
    );
  if (received.error)
    return (
      <main className={classes.refused}>
        <title>{words.packageYuplet}</title>
        <Wordmark />
        <Text role="alert">{received.error.message}</Text>
      </main>
    );
  return <Package token={token} received={received.data} />;
}

function Package({ token, received }: { token: string; received: Received }) {
  const [chosen, setChosen] = useState<string | null>(null);
  const [search, setSearch] = useState('');
  const wanted = search.trim().toLowerCase();
  const parts = received.parts.filter((part) => part.path.join(' / ').toLowerCase().includes(wanted));
  const part = received.parts.find((one) => one.id === chosen) ?? null;
  return (
    <div className={classes.whole}>
      <title>{`${received.title} · Yuplet`}</title>
      <header className={classes.head}>
        <Wordmark />
        <h1 className={classes.title}>{received.title}</h1>
        <span className={classes.facts}>
          {words.handOver(received.number)}
          {received.is_newest && words.theNewest}
          {words.forUntil(received.made_at, received.to, received.ends_at)}
        </span>
        <Button component="a" download href={`/api/received/${token}/package`}>
          {words.downloadZip(received.bytes)}
        </Button>
      </header>
      <main className={classes.picture}>
        <div
          className={classes.frame}
          style={{ '--proportion': received.width / received.height } as React.CSSProperties}
        >
          <img src={`/api/received/${token}/picture`} alt={received.title} />
          {part && <div className={classes.box} style={boxOf(part, received)} data-testid="box" />}
        </div>
      </main>
      <aside className={classes.side} aria-label={words.parts}>
        <Changes received={received} />
        {Object.keys(received.credit).length > 0 && (
          <p className={classes.facts}>
            {Object.entries(received.credit)
              .map(([name, value]) => `${name[0]?.toUpperCase()}${name.slice(1).replaceAll('_', ' ')}: ${value}`)
              .join('. ')}
          </p>
        )}
        {part && <Remarks key={part.id} token={token} part={part} received={received} />}
        <TextInput
          size="xs"
          label={words.frontMostFirst(received.parts.length)}
          placeholder={words.searchNames}
          value={search}
          onChange={(event) => setSearch(event.currentTarget.value)}
        />
        <ul className={classes.parts}>
          {parts.map((one) => (
            <li key={one.id}>
              <button
                type="button"
                aria-pressed={one.id === chosen}
                onClick={() => setChosen(one.id === chosen ? null : one.id)}
              >
                <strong>{one.path.at(-1)}</strong>
                {one.path.length > 1 && (
                  <span className={classes.facts}>{words.in(one.path.slice(0, -1).join(' / '))}</span>
                )}
                {!one.shown && <span className={classes.facts}>{words.hidden}</span>}
                <span className={classes.place}>{words.pxAt(one.width, one.height, one.x, one.y)}</span>
                {received.remarks.some((remark) => remark.part === one.id) && (
                  <span className={classes.mark}>{words.remarked}</span>
                )}
              </button>
            </li>
          ))}
        </ul>
      </aside>
    </div>
  );
}

function Changes({ received: { changes } }: { received: Received }) {
  if (!changes) return null;
  const told = (
    [
      ['new', changes.new],
      ['changed', changes.changed],
      ['gone', changes.gone],
    ] as const
  ).filter(([, names]) => names.length > 0);
  return (
    <details className={classes.changes}>
      <summary>
        {words.sinceHandOver(
          changes.since,
          told.length ? told.map(([what, names]) => `${names.length} ${what}`).join(', ') : words.noChanges,
        )}
      </summary>
      <ul>
        {told.flatMap(([what, names]) => names.map((name) => <li key={`${what} ${name}`}>{`${what}: ${name}`}</li>))}
      </ul>
    </details>
  );
}

/** What was said of a part and answered, and saying more. */
function Remarks({ token, part, received }: { token: string; part: Part; received: Received }) {
  const queries = useQueryClient();
  const [text, setText] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    await sayRemark(token, part.id, text);
    setText('');
    await queries.invalidateQueries({ queryKey: ['received', token] });
  });
  return (
    <section className={classes.remarks} aria-label={words.remarks}>
      <h2>{part.path.at(-1)}</h2>
      <p className={classes.facts}>{part.file}</p>
      {received.remarks
        .filter((remark) => remark.part === part.id)
        .reverse()
        .map((remark) => (
          <div key={remark.id} className={classes.remark}>
            <p>{remark.text}</p>
            {remark.answer ? (
              <p className={classes.answer}>
                {remark.answered_by ?? words.theArtist}: {remark.answer}
              </p>
            ) : (
              <p className={classes.facts}>{words.noAnswerYet}</p>
            )}
          </div>
        ))}
      <form onSubmit={submit}>
        <Textarea
          size="xs"
          label={words.remarkToTheArtist}
          autosize
          minRows={2}
          maxLength={1000}
          required
          value={text}
          onChange={(event) => setText(event.currentTarget.value)}
        />
        <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
        <Button type="submit" size="compact-sm" mt={6} loading={isWaiting}>
          {words.sendRemark}
        </Button>
      </form>
    </section>
  );
}

function boxOf(part: Part, { width, height }: Received) {
  const share = (value: number, of: number) => `${(100 * value) / of}%`;
  return {
    left: share(part.x, width),
    top: share(part.y, height),
    width: share(part.width, width),
    height: share(part.height, height),
  };
}
