import { FindingsPage } from '../findings/FindingsPage';
import { BringInStep } from '../steps/bring-in/BringInStep';
import { HandOverStep } from '../steps/hand-over/HandOverStep';
import { PutInOrder } from '../steps/put-in-order/PutInOrder';
import { TakeApart } from '../steps/take-apart/TakeApart';
import { TryOut } from '../steps/try-out/TryOut';
import type { StepName } from './steps';
import type { Bench } from './useBench';

type FindingsOf = Pick<Bench, 'illustration' | 'findings' | 'taking' | 'canEdit' | 'choose'>;
type OnNames = (rows: readonly string[]) => void;

const PANELS: Record<StepName, (bench: Bench, onNames: OnNames) => React.ReactNode> = {
  'bring-in': ({ illustration, view, canEdit, choose, onChanged }) => (
    <BringInStep
      illustration={illustration}
      rows={view?.rows ?? []}
      canEdit={canEdit}
      onChoose={choose}
      onChanged={onChanged}
    />
  ),
  'take-apart': ({ taking, canEdit, choose, ...bench }, onNames) => (
    <TakeApart
      taking={taking}
      canEdit={canEdit}
      onChoose={(row) => choose([row], row)}
      findings={findingsOf({ taking, canEdit, choose, ...bench })}
      onNames={onNames}
    />
  ),
  'put-in-order': ({ illustration, view, choose, ...bench }) =>
    view && (
      <PutInOrder
        illustration={illustration.id}
        view={view}
        canvas={bench.canvas}
        chosen={bench.chosen}
        current={bench.current}
        canEdit={bench.canEdit}
        ordering={bench.ordering}
        onChoose={choose}
        act={bench.act}
        again={bench.again}
        perform={bench.perform}
        findings={findingsOf({ illustration, choose, ...bench })}
      />
    ),
  'try-out': ({ trying, canEdit }) => <TryOut trying={trying} canEdit={canEdit} />,
  'hand-over': ({ illustration, view, choose, ...bench }) =>
    view && (
      <HandOverStep
        illustration={illustration.id}
        project={illustration.project}
        rows={view.rows}
        chosen={bench.chosenIds}
        isSaving={bench.isSaving}
        canEdit={bench.canEdit}
        handing={bench.handing}
        act={bench.act}
        onChoose={choose}
      />
    ),
};

function findingsOf({ illustration, findings, taking, canEdit, choose }: FindingsOf) {
  return (
    <FindingsPage illustration={illustration.id} all={findings} taking={taking} canEdit={canEdit} choose={choose} />
  );
}

/** The panel of the step that is open. */
export function StepPanel({ bench, onNames }: { bench: Bench; onNames: OnNames }) {
  return PANELS[bench.step](bench, onNames);
}
