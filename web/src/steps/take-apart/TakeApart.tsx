import { NativeSelect } from '@mantine/core';
import classes from '../../ui/form.module.css';
import { Panel } from '../../ui/Panel';
import { StepPages } from '../../ui/StepPages';
import { Beneath } from './Beneath';
import { EdgeAndColour } from './EdgeAndColour';
import { TakeOut } from './TakeOut';
import type { Looking, Page, Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
  onChoose: (row: string) => void;
  /** All that there is to look at, which other steps show too. */
  findings: React.ReactNode;
  /** Names for several parts, in the order in which they are given. */
  onNames: (rows: readonly string[]) => void;
}

const PAGES: readonly { value: Page; label: string }[] = [
  { value: 'take-out', label: 'Take out' },
  { value: 'beneath', label: 'Underlap' },
  { value: 'edge', label: 'Edge and colour' },
  { value: 'check', label: 'Findings' },
];
const LOOKINGS: readonly { value: Looking; label: string }[] = [
  { value: 'all', label: 'All parts' },
  { value: 'alone', label: 'This part alone' },
  { value: 'without', label: 'All but this part' },
];

/** One part at a time: art is taken out of it, it is completed, and what came of it is looked over. */
export function TakeApart({ taking, canEdit, onChoose, findings, onNames }: Props) {
  const { from, parts, page } = taking;
  return (
    <>
      <StepPages pages={PAGES} page={page} onPage={taking.setPage} />
      <Panel title="Take apart">
        <div className={classes.form}>
          <div className={classes.row}>
            <NativeSelect
              size="xs"
              label={page === 'take-out' ? 'Take from' : 'Part'}
              data={[
                ...(from ? [] : [{ value: '', label: 'Select a part' }]),
                ...parts.map((row) => ({ value: row.id, label: row.name })).reverse(),
              ]}
              value={from?.id ?? ''}
              onChange={(event) => onChoose(event.currentTarget.value)}
            />
            <NativeSelect
              size="xs"
              label="Show"
              data={[...LOOKINGS]}
              value={taking.looking}
              onChange={(event) => taking.setLooking(event.currentTarget.value as Looking)}
            />
          </div>
          {!from && <p>Select the part that holds the art, here or on the picture.</p>}
        </div>
        {page === 'take-out' && <TakeOut taking={taking} canEdit={canEdit} onNames={onNames} />}
        {page === 'beneath' && <Beneath taking={taking} canEdit={canEdit} />}
        {page === 'edge' && <EdgeAndColour taking={taking} canEdit={canEdit} />}
        {page === 'check' && <div className={classes.form}>{findings}</div>}
        {taking.problem && (
          <p role="alert" className={classes.problem}>
            {taking.problem}
          </p>
        )}
      </Panel>
    </>
  );
}
