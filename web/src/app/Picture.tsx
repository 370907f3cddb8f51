import type { Row } from '../api/calls';
import { placeOf } from '../api/steps';
import { Pile } from '../pile/Pile';
import { describedSelection } from '../rules/described';
import { BenchDrawer } from '../steps/put-in-order/BenchDrawer';
import { FramesRow } from '../steps/put-in-order/FramesRow';
import { Strip } from '../steps/put-in-order/Strip';
import type { Looking } from '../steps/take-apart/useTaking';
import { ScreensStage } from '../steps/try-out/ScreensStage';
import { Stage } from '../steps/try-out/Stage';
import { keyOf } from '../steps/try-out/useMoving';
import type { Bench } from './useBench';
import { useComparables } from './useComparables';
import classes from './Workspace.module.css';

/** The package, or what it is on screens of other sizes. */
function TriedOut({ bench: { trying, canvas } }: { bench: Bench }) {
  const { rehearsal, screens } = trying;
  if (rehearsal && screens.isOn) return <ScreensStage rehearsal={rehearsal} screens={screens} />;
  return <Stage key={keyOf(rehearsal)} trying={trying} canvas={canvas} />;
}

const NO_ROWS: readonly Row[] = [];

/** The pile, and below it what belongs to putting in order. */
export function Picture({ bench, onNames }: { bench: Bench; onNames: () => void }) {
  const { illustration, step, view, chosen, chosenIds, current, choose, canEdit, act, moment, setMoment } = bench;
  const { taking, ordering } = bench;
  const comparables = useComparables(illustration);
  const { row } = ordering;
  const { waiting } = illustration;
  const pick = (picked: Row | null, extend: boolean) => {
    if (step === 'put-in-order' && ordering.picked(picked)) return;
    if (picked) choose(extend ? [...chosenIds, picked.id] : [picked.id], picked.id);
    else if (!extend) choose([], current);
    document.querySelector<HTMLElement>('[data-ledger]')?.focus();
  };
  const nudge = (dx: number, dy: number) => {
    const moved = (view?.rows ?? []).filter(
      (one) => chosen.has(one.id) && one.kind === 'part' && one.box && !one.locked,
    );
    if (moved.length === 0) return;
    const offsets = moved.map(({ id, offset: [x = 0, y = 0] }) => [id, placeOf([x + dx, y + dy])] as const);
    act({ do: 'place-parts', offsets: Object.fromEntries(offsets) });
  };
  const shared = { illustration: illustration.id, canEdit, act };
  return (
    <div className={classes.picture}>
      {step === 'try-out' && <TriedOut bench={bench} />}
      {/* Its pictures stay loaded while the stage lies over it. */}
      <div className={classes.pile} inert={step === 'try-out'}>
        {(view || illustration.preview) && (
          <Pile
            key={`${illustration.revision} ${illustration.width}`}
            illustration={illustration.id}
            revision={illustration.revision}
            preview={view && !view.rows.some((row) => row.frames.length > 0) ? null : illustration.preview || null}
            canvas={bench.canvas}
            rows={view?.rows ?? NO_ROWS}
            seen={step === 'take-apart' ? lookedAt(bench.seen, taking.from, taking.looking) : bench.seen}
            outlines={bench.outlines}
            peel={bench.peel}
            comparables={comparables}
            compareWith={step === 'bring-in' && waiting?.state === 'review' ? String(waiting.number) : null}
            moment={moment}
            onMoment={setMoment}
            described={describedSelection(view?.rows ?? NO_ROWS, chosen)}
            onNudge={step === 'put-in-order' && canEdit ? nudge : null}
            marking={markingOf(bench)}
            onPick={pick}
          />
        )}
      </div>
      {view && step === 'put-in-order' && (
        <>
          {ordering.isStripSeen && <Strip {...shared} rows={view.rows} chosen={chosen} onChoose={choose} />}
          {row && row.frames.length > 1 && (
            <FramesRow
              key={row.id}
              {...shared}
              row={row}
              moment={moment}
              areGhostsSeen={ordering.areGhostsSeen}
              onGhosts={ordering.setGhostsSeen}
              onMoment={setMoment}
            />
          )}
          <BenchDrawer
            {...shared}
            view={view}
            chosen={chosen}
            again={bench.again}
            ordering={ordering}
            onPicture={bench.addPicture}
            onNames={onNames}
          />
        </>
      )}
    </div>
  );
}

/** What lies over the picture: what the step marks, or a finding that is looked at. */
function markingOf({ step, taking, ordering }: Bench) {
  if (step === 'take-apart') return taking.marking;
  return step === 'put-in-order' && ordering.page === 'notes' ? taking.lookedOver : ordering.marking;
}

/** What is seen while one part is worked on: everything, that part alone, or the rest without it. */
function lookedAt(seen: ReadonlySet<string>, part: Row | undefined, looking: Looking): ReadonlySet<string> {
  if (!part || looking === 'all') return seen;
  if (looking === 'alone') return new Set([part.id]);
  return new Set([...seen].filter((id) => id !== part.id));
}
