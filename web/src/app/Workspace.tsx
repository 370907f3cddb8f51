import { Anchor, Center, Stack, Text } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { Link, Navigate, useNavigate } from 'react-router';
import { isRunning, type Row, useIllustration, type WholeIllustration } from '../api/calls';
import { sendPicture } from '../api/steps';
import { type Refused, useArrangement } from '../ledger/useArrangement';
import { Pile } from '../pile/Pile';
import { BringInStep } from '../steps/bring-in/BringInStep';
import { HowDialog } from '../steps/bring-in/HowDialog';
import { type Parcel, useBringIn } from '../steps/bring-in/useBringIn';
import { HandOverStep } from '../steps/hand-over/HandOverStep';
import { useHandingOver } from '../steps/hand-over/useHandingOver';
import { type Again, BenchDrawer } from '../steps/put-in-order/BenchDrawer';
import { FramesRow } from '../steps/put-in-order/FramesRow';
import { NamesDialog } from '../steps/put-in-order/NamesDialog';
import { PutInOrder } from '../steps/put-in-order/PutInOrder';
import { Strip } from '../steps/put-in-order/Strip';
import { useOrdering } from '../steps/put-in-order/useOrdering';
import { TakeApart } from '../steps/take-apart/TakeApart';
import { type Looking, useTaking } from '../steps/take-apart/useTaking';
import { TryOut } from '../steps/try-out/TryOut';
import { JobProgress } from '../ui/JobProgress';
import { useFileDrop } from '../ui/useFileDrop';
import { Head } from './Head';
import { KeysList, useKeys } from './keys';
import { statesOf } from './states';
import { isStep, type StepName } from './steps';
import { useComparables } from './useComparables';
import { useSeen } from './useSeen';
import classes from './Workspace.module.css';

interface Props {
  illustration: number;
  step: string;
  user: string;
}

/** One illustration at one of the five steps; all of them share the pile and what is chosen. */
export function Workspace({ illustration, step, user }: Props) {
  const query = useIllustration(illustration);
  if (!isStep(step)) return <Navigate to={`/illustrations/${illustration}/put-in-order`} replace />;
  if (query.data?.state === 'ready') return <Opened illustration={query.data} step={step} user={user} />;
  const { job } = query.data ?? {};
  return (
    <Center component="main" h="100%" p="xl">
      <Stack w={420}>
        {query.error && <Text role="alert">{query.error.message}</Text>}
        {job && isRunning(job) && <JobProgress job={job} canCancel={query.data?.role !== 'viewer'} />}
        {job && !isRunning(job) && <Text role="alert">{job.error || 'This picture was not read.'}</Text>}
        <Anchor component={Link} to="/">
          Go to the projects
        </Anchor>
      </Stack>
    </Center>
  );
}

function Opened({ illustration, step, user }: { illustration: WholeIllustration; step: StepName; user: string }) {
  const [refused, setRefused] = useState<readonly Refused[]>([]);
  const [onRefused] = useState(() => (one: Refused) => setRefused((before) => [...before, one]));
  const { view, isSaving, error, act, perform, undo, redo } = useArrangement(illustration.id, onRefused);
  const [chosenIds, setChosenIds] = useState<readonly string[]>([]);
  const [current, setCurrent] = useState<string | null>(null);
  const [isListOpen, setListOpen] = useState(false);
  const [isNaming, setNaming] = useState(false);
  useKeys();
  const navigate = useNavigate();
  const { uploads, take } = useBringIn(illustration.project);
  const [dropped, setDropped] = useState<readonly File[]>([]);
  const { handlers } = useFileDrop(illustration.role !== 'viewer', setDropped);
  const send = async (parcels: readonly Parcel[]) => {
    const isRevision = parcels.some((parcel) => parcel.revisionOf !== undefined);
    if ((await take(parcels)) > 0) navigate(isRevision ? `/illustrations/${illustration.id}/bring-in` : '/');
  };
  const queries = useQueryClient();
  const onChanged = () => {
    for (const key of ['illustration', 'arrangement', 'revisions']) {
      void queries.invalidateQueries({ queryKey: [key, illustration.id] });
    }
  };
  const comparables = useComparables(illustration);

  // Somebody's step may have changed which revision is worked with.
  const isOther = view !== undefined && view.revision !== illustration.revision;
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked for again when the two differ, and not more often
  useEffect(() => {
    if (isOther) void queries.invalidateQueries({ queryKey: ['illustration', illustration.id] });
  }, [isOther]);

  const rows = view?.rows;
  const alone = view?.alone ?? null;
  const chosen = useMemo(() => new Set(chosenIds), [chosenIds]);
  const [moment, setMoment] = useState(0);
  const { seen, outlines, peel } = useSeen(rows, alone, chosenIds);

  const choose = (ids: readonly string[], now: string | null) => {
    setChosenIds(ids);
    setCurrent(now);
  };
  const chooseMade = (made: readonly string[]) => choose(made, made[0] ?? null);
  const again = (row: string, how: Again) => act({ do: 'duplicate-part', row, ...how }, { made: chooseMade });
  const addPicture = (file: File, row: string | null, instead: boolean) =>
    perform(sendPicture(illustration.id, file, row, instead), {
      made: (made) => chooseMade(instead && row !== null ? [row] : made),
    });
  const canEdit = illustration.role !== 'viewer';
  const taking = useTaking({
    illustration: illustration.id,
    view,
    current,
    isOpen: step === 'take-apart',
    moment,
    onMoment: setMoment,
    act,
    onTaken: choose,
  });
  const canvas = useMemo(
    () => ({ width: illustration.width ?? 1, height: illustration.height ?? 1 }),
    [illustration.width, illustration.height],
  );
  const ordering = useOrdering({
    illustration: illustration.id,
    view,
    chosenIds,
    canvas,
    canEdit,
    isOpen: step === 'put-in-order',
    moment,
    act,
  });
  const warnings = ordering.order?.findings.filter((one) => one.severity !== 'note').length;
  const handing = useHandingOver(
    illustration.id,
    view?.version ?? 0,
    chosenIds,
    step === 'hand-over' && view !== undefined,
  );
  const states = statesOf(illustration, rows ?? [], taking.findings.found?.length, warnings, handing);
  const [sending] = uploads;
  let status = view?.undo ? `Last step: ${view.undo}` : '';
  if (isSaving) status = 'Saving';
  if (sending) status = `Sending ${sending.name}, ${Math.round(sending.share * 100)} %`;
  const panels: Record<StepName, () => React.ReactNode> = {
    'bring-in': () => (
      <BringInStep
        illustration={illustration}
        rows={rows ?? []}
        canEdit={canEdit}
        onChoose={choose}
        onChanged={onChanged}
      />
    ),
    'take-apart': () => (
      <TakeApart taking={taking} canEdit={canEdit} onChoose={(row) => choose([row], row)} act={act} />
    ),
    'put-in-order': () =>
      view && (
        <PutInOrder
          illustration={illustration.id}
          view={view}
          canvas={canvas}
          chosen={chosen}
          current={current}
          canEdit={canEdit}
          refused={refused}
          ordering={ordering}
          onChoose={choose}
          act={act}
          again={again}
          perform={perform}
          onSettled={(one) => setRefused((before) => before.filter((other) => other !== one))}
        />
      ),
    'try-out': () => <TryOut />,
    'hand-over': () =>
      view && (
        <HandOverStep
          illustration={illustration.id}
          project={illustration.project}
          rows={view.rows}
          chosen={chosenIds}
          isSaving={isSaving}
          canEdit={canEdit}
          handing={handing}
          onChoose={choose}
        />
      ),
  };

  return (
    <div className={classes.workspace} {...handlers}>
      <title>{`${illustration.name} · Yuplet`}</title>
      <Head
        illustration={illustration}
        states={states}
        view={view}
        isSaving={isSaving}
        user={user}
        undo={undo}
        redo={redo}
        onKeys={() => setListOpen(true)}
      />
      <main className={classes.bench}>
        <section className={classes.panel} aria-label="Step">
          {error && (
            <Text role="alert" p="sm">
              {error.message}
            </Text>
          )}
          {panels[step]()}
        </section>
        <div className={classes.picture}>
          {rows && (
            <Pile
              key={`${illustration.revision} ${illustration.width}`}
              illustration={illustration.id}
              revision={illustration.revision}
              canvas={canvas}
              rows={rows}
              seen={step === 'take-apart' ? lookedAt(seen, taking.from, taking.looking) : seen}
              outlines={outlines}
              peel={peel}
              comparables={comparables}
              moment={moment}
              onMoment={setMoment}
              marking={step === 'take-apart' ? taking.marking : ordering.marking}
              onPick={(row, extend) => {
                if (step === 'put-in-order' && ordering.picked(row)) return;
                if (row) choose(extend ? [...chosenIds, row.id] : [row.id], row.id);
                else if (!extend) choose([], current);
                document.querySelector<HTMLElement>('[data-ledger]')?.focus();
              }}
            />
          )}
          {view && step === 'put-in-order' && ordering.isStripSeen && (
            <Strip
              illustration={illustration.id}
              rows={view.rows}
              chosen={chosen}
              canEdit={canEdit}
              act={act}
              onChoose={choose}
            />
          )}
          {step === 'put-in-order' && ordering.row && ordering.row.frames.length > 1 && (
            <FramesRow
              key={ordering.row.id}
              illustration={illustration.id}
              row={ordering.row}
              moment={moment}
              canEdit={canEdit}
              areGhostsSeen={ordering.areGhostsSeen}
              onGhosts={ordering.setGhostsSeen}
              onMoment={setMoment}
              act={act}
            />
          )}
          {view && step === 'put-in-order' && (
            <BenchDrawer
              illustration={illustration.id}
              view={view}
              chosen={chosen}
              canEdit={canEdit}
              act={act}
              again={again}
              ordering={ordering}
              onPicture={addPicture}
              onNames={() => setNaming(true)}
            />
          )}
        </div>
      </main>
      <footer className={classes.foot} role="status">
        {status}
      </footer>
      {dropped.length > 0 && (
        <HowDialog
          files={dropped}
          open={{ id: illustration.id, name: illustration.name }}
          onTake={send}
          onClose={() => setDropped([])}
        />
      )}
      {view && isNaming && (
        <NamesDialog
          illustration={illustration.id}
          view={view}
          chosen={chosenIds}
          act={act}
          onClose={() => setNaming(false)}
        />
      )}
      <KeysList isOpen={isListOpen} onClose={() => setListOpen(false)} />
    </div>
  );
}

/** What is seen while one part is worked on: everything, that part alone, or the rest without it. */
function lookedAt(seen: ReadonlySet<string>, part: Row | undefined, looking: Looking): ReadonlySet<string> {
  if (!part || looking === 'all') return seen;
  if (looking === 'alone') return new Set([part.id]);
  return new Set([...seen].filter((id) => id !== part.id));
}
