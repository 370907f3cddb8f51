import { SegmentedControl } from '@mantine/core';
import classes from './pages.module.css';
import { stepPages as words } from './words';

interface Props<P extends string> {
  pages: readonly { value: P; label: string }[];
  page: P;
  onPage: (page: P) => void;
}

/** The pages of a step, the same way in every step. */
export function StepPages<P extends string>({ pages, page, onPage }: Props<P>) {
  return (
    <div className={classes.pages}>
      <SegmentedControl
        size="xs"
        fullWidth
        aria-label={words.pages}
        data={[...pages]}
        value={page}
        onChange={(value) => onPage(value as P)}
      />
    </div>
  );
}
