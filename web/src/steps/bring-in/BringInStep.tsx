import { useEffect, useRef } from 'react';
import { useLocation } from 'react-router';
import type { Row, WholeIllustration } from '../../api/calls';
import { Panel } from '../../ui/Panel';
import { StepPages } from '../../ui/StepPages';
import { usePage } from '../../ui/useAddress';
import { CreditForm } from './CreditForm';
import { ReadAgain } from './ReadAgain';
import { ReadingReport } from './ReadingReport';
import { Revisions } from './Revisions';
import { bringInStep as words } from './words';

interface Props {
  illustration: WholeIllustration;
  rows: readonly Row[];
  canEdit: boolean;
  onChoose: (ids: readonly string[], current: string | null) => void;
  /** The rows or the revision are others now. */
  onChanged: () => void;
}

type Page = 'report' | 'revisions' | 'options' | 'credit';

const PAGES: readonly { value: Page; label: string }[] = [
  { value: 'report', label: words.report },
  { value: 'revisions', label: words.revisions },
  { value: 'options', label: words.readingOptions },
  { value: 'credit', label: words.credit },
];

/** What was brought in: what was read of it, its revisions, how else it could be read, and who made it. */
export function BringInStep({ illustration, rows, canEdit, onChoose, onChanged }: Props) {
  const waits = illustration.waiting !== null;
  const [page, setPage] = usePage<Page>(true, ['report', 'revisions', 'options', 'credit']);
  // A revision that arrives is what somebody wants to look at next; one that waited before is, unless a page is asked for by its address.
  const isAsked = new URLSearchParams(useLocation().search).has('page');
  const show = useRef((_isNew: boolean) => {});
  show.current = (isNew) => {
    if (isNew || !isAsked) setPage('revisions', true);
  };
  const isNew = useRef(false);
  useEffect(() => {
    if (waits) show.current(isNew.current);
    isNew.current = true;
  }, [waits]);
  return (
    <>
      <StepPages pages={PAGES} page={page} onPage={setPage} />
      <Panel title={words.bringIn}>
        {page === 'report' && (
          <ReadingReport illustration={illustration} rows={rows} onChoose={onChoose} onCut={() => setPage('options')} />
        )}
        {page === 'revisions' && <Revisions illustration={illustration} canEdit={canEdit} onChanged={onChanged} />}
        {page === 'options' && <ReadAgain illustration={illustration} canEdit={canEdit} onChanged={onChanged} />}
        {page === 'credit' && <CreditForm illustration={illustration} canEdit={canEdit} onChanged={onChanged} />}
      </Panel>
    </>
  );
}
