import type { Arrangement, Row } from '../../api/calls';
import { Ledger } from '../../ledger/Ledger';
import type { Act, Perform } from '../../ledger/useArrangement';
import type { Extent } from '../../rules/places';
import pages from '../../ui/pages.module.css';
import { StepPages } from '../../ui/StepPages';
import ui from '../../ui/ui.module.css';
import type { Again } from './BenchDrawer';
import { Fit } from './Fit';
import { Joints } from './Joints';
import { Planes } from './Planes';
import { Sets } from './Sets';
import type { Ordering, Page, SetPage } from './useOrdering';
import { putInOrder as words } from './words';

interface Props {
  illustration: number;
  view: Arrangement;
  canvas: Extent;
  chosen: ReadonlySet<string>;
  current: string | null;
  canEdit: boolean;
  ordering: Ordering;
  onChoose: (ids: readonly string[], current: string | null) => void;
  act: Act;
  again: (row: string, how: Again) => void;
  perform: Perform;
  /** All that there is to look at, which other steps show too. */
  findings: React.ReactNode;
}

const PAGES: readonly { value: Page; label: string }[] = [
  { value: 'rows', label: words.parts },
  { value: 'joints', label: words.joints },
  { value: 'sets', label: words.sets },
  { value: 'depth', label: words.depth },
  { value: 'fit', label: words.roleAndFit },
  { value: 'notes', label: words.findings },
];

const SETS: readonly string[] = ['sets', 'pairs', 'required', 'shelf'];

const isSet = (page: Page): page is SetPage => SETS.includes(page);

/** Names and order, joints, what belongs together, depths, roles, and what of all that should be looked at. */
export function PutInOrder(props: Props) {
  const { illustration, view, canvas, chosen, canEdit, ordering, onChoose, act, again } = props;
  const { page, setPage, row, joints, fit, order } = ordering;
  const rows: readonly Row[] = view.rows.filter((one) => chosen.has(one.id));
  return (
    <>
      <h2 className={ui.unseen}>{words.putInOrder}</h2>
      <StepPages pages={PAGES} page={isSet(page) ? 'sets' : page} onPage={setPage} />
      {page === 'rows' && (
        <Ledger
          illustration={illustration}
          rows={view.rows}
          alone={view.alone}
          chosen={chosen}
          current={props.current}
          canEdit={canEdit}
          onChoose={onChoose}
          act={act}
        />
      )}
      {page === 'joints' && (
        <Joints view={view} row={row} chosen={chosen} canEdit={canEdit} joints={joints} act={act} onChoose={onChoose} />
      )}
      {isSet(page) && (
        <Sets
          page={page}
          onPage={setPage}
          illustration={illustration}
          view={view}
          order={order}
          chosen={chosen}
          canEdit={canEdit}
          act={act}
          again={again}
          row={row}
          perform={props.perform}
          onChoose={onChoose}
        />
      )}
      {page === 'depth' && (
        <Planes
          view={view}
          order={order}
          canvas={canvas}
          chosen={chosen}
          canEdit={canEdit}
          act={act}
          widen={ordering.widen}
          onChoose={onChoose}
        />
      )}
      {page === 'fit' && (
        <Fit
          illustration={illustration}
          rows={view.rows}
          chosen={rows}
          canvas={canvas}
          canEdit={canEdit}
          act={act}
          said={fit.said}
          onSaid={fit.setSaid}
        />
      )}
      {page === 'notes' && <div className={pages.page}>{props.findings}</div>}
    </>
  );
}
