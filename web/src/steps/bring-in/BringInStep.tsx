import { Tabs } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { Row, WholeIllustration } from '../../api/calls';
import { Panel } from '../../ui/Panel';
import { CreditForm } from './CreditForm';
import { ReadAgain } from './ReadAgain';
import { ReadingReport } from './ReadingReport';
import { Revisions } from './Revisions';

interface Props {
  illustration: WholeIllustration;
  rows: readonly Row[];
  canEdit: boolean;
  onChoose: (ids: readonly string[], current: string | null) => void;
  /** The rows or the revision are others now. */
  onChanged: () => void;
}

/** What was brought in: what was read of it, its revisions, how else it could be read, and who made it. */
export function BringInStep({ illustration, rows, canEdit, onChoose, onChanged }: Props) {
  const waits = illustration.waiting !== null;
  const [tab, setTab] = useState<string | null>(waits ? 'revisions' : 'report');
  // A revision that arrives is what somebody wants to look at next.
  useEffect(() => {
    if (waits) setTab('revisions');
  }, [waits]);
  return (
    <Panel title="Bring in">
      <Tabs value={tab} onChange={setTab} keepMounted={false}>
        <Tabs.List mb="sm">
          <Tabs.Tab value="report">Report</Tabs.Tab>
          <Tabs.Tab value="revisions">Revisions</Tabs.Tab>
          <Tabs.Tab value="again">Reading options</Tabs.Tab>
          <Tabs.Tab value="credit">Credit</Tabs.Tab>
        </Tabs.List>
        <Tabs.Panel value="report">
          <ReadingReport illustration={illustration} rows={rows} onChoose={onChoose} onCut={() => setTab('again')} />
        </Tabs.Panel>
        <Tabs.Panel value="revisions">
          <Revisions illustration={illustration} canEdit={canEdit} onChanged={onChanged} />
        </Tabs.Panel>
        <Tabs.Panel value="again">
          <ReadAgain illustration={illustration} canEdit={canEdit} onChanged={onChanged} />
        </Tabs.Panel>
        <Tabs.Panel value="credit">
          <CreditForm illustration={illustration} canEdit={canEdit} onChanged={onChanged} />
        </Tabs.Panel>
      </Tabs>
    </Panel>
  );
}
