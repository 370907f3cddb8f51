import { Title } from '@mantine/core';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { AccountMenu, type SignedIn } from '../ui/AccountMenu';
import { Wordmark } from '../ui/Wordmark';
import classes from './PlainPage.module.css';
import { plainPage as words } from './words';

/** A page beside the work: a heading and what is under it. */
export function PlainPage({ title, user, children }: { title: string; user: SignedIn; children: ReactNode }) {
  return (
    <>
      <title>{`${title} · Yuplet`}</title>
      <header className={classes.head}>
        <Link to="/" className={classes.home} aria-label={words.yupletAllProjects}>
          <Wordmark />
        </Link>
        <AccountMenu user={user} />
      </header>
      <main className={classes.page}>
        <Title order={1} size="h2">
          {title}
        </Title>
        {children}
      </main>
    </>
  );
}
