import { NativeSelect } from '@mantine/core';
import classes from '../../ui/form.module.css';
import { Panel } from '../../ui/Panel';
import { StepPages } from '../../ui/StepPages';
import { Beneath } from './Beneath';
import { EdgeAndColour } from './EdgeAndColour';
import { TakeOut } from './TakeOut';
import type { Looking, Page, Taking } from './useTaking';
import { takeApart as words } from './words';

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
  { value: 'take-out', label: words.takeOut },
  { value: 'beneath', label: words.underlap },
  { value: 'edge', label: words.edgeAndColour },
  { value: 'check', label: words.findings },
];
const LOOKINGS: readonly { value: Looking; label: string }[] = [
  { value: 'all', label: words.allParts },
  { value: 'alone', label: words.thisPartAlone },
  { value: 'without', label: words.allButThisPart },
];

/** One part at a time: art is taken out of it, it is completed, and what came of it is looked over. */
export function TakeApart({ taking, canEdit, onChoose, findings, onNames }: Props) {
  const { from, parts, page } = taking;
  return (
    <>
      <StepPages pages={PAGES} page={page} onPage={taking.setPage} />
      <Panel title={words.takeApart}>
        <div className={classes.form}>
          <div className={classes.row}>
            <NativeSelect
              size="xs"
              label={page === 'take-out' ? words.takeFrom : words.part}
              data={[
                ...(from ? [] : [{ value: '', label: words.selectAPart }]),
                ...parts.map((row) => ({ value: row.id, label: row.name })).reverse(),
              ]}
              value={from?.id ?? ''}
              onChange={(event) => onChoose(event.currentTarget.value)}
            />
            <NativeSelect
              size="xs"
              label={words.show}
              data={[...LOOKINGS]}
              value={taking.looking}
              onChange={(event) => taking.setLooking(event.currentTarget.value as Looking)}
            />
          </div>
          {!from && <p>{words.selectThePartThatHolds}</p>}
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
