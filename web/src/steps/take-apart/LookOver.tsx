import { Button } from '@mantine/core';
import classes from './TakeApart.module.css';
import type { Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
  onChoose: (row: string) => void;
}

/** What came of it all, beside what was brought in. */
export function LookOver({ taking }: Props) {
  const { compared } = taking;
  return (
    <div className={classes.form}>
      <h3>Beside what was brought in</h3>
      <div className={classes.row}>
        <Button size="xs" variant="default" onClick={taking.compare}>
          Compare with what was brought in
        </Button>
      </div>
      {compared && (
        <p data-testid="difference">
          {compared.differing.toLocaleString('en')} of {compared.pixels.toLocaleString('en')} pixels differ
          {compared.differing > 0 && `, by at most ${compared.largest} of 255; they are marked`}.
        </p>
      )}
    </div>
  );
}
