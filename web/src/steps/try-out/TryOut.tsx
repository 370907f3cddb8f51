import { Button, FileButton, NativeSelect } from '@mantine/core';
import { isRunning } from '../../api/calls';
import type { Way } from '../../api/rehearsals';
import { JobProgress } from '../../ui/JobProgress';
import { Panel } from '../../ui/Panel';
import { StepPages } from '../../ui/StepPages';
import { Changes } from './Changes';
import { GridFields } from './GridFields';
import { LiningUpPanel } from './LiningUpPanel';
import { MovePanel } from './MovePanel';
import { PlanesFields } from './PlanesFields';
import { ScreensPanel } from './ScreensPanel';
import { TrialReport } from './TrialReport';
import classes from './TryOut.module.css';
import type { Task, Trying } from './useTrying';
import { tryOut as words } from './words';

const WAYS: Record<Way, string> = {
  places: words.imagesPlacedByTheManifest,
  'whole canvas': words.imagesAsLarge,
  layers: words.layeredFileOpenraster,
  model: words.modelGltf,
  page: words.pageHtml,
  scene: 'SVG',
  vector: words.oneSvgForEachPart,
  'flip-book': words.flipBook,
  openexr: words.partsInOneFileOpenexr,
  sheet: words.sheetOfFrames,
  'lined up': words.looseImagesLinedUp,
  names: words.imagesByTheirNames,
  planes: words.planesInDepth,
  interface: words.interfaceParts,
};

const PAGES: readonly { value: Task; label: string }[] = [
  { value: 'check', label: words.check },
  { value: 'move', label: words.move },
  { value: 'screens', label: words.screens },
];

/** Which package is tried out, how it is read, what is there of it, and whether the picture comes back. */
export function TryOut({ trying, canEdit }: { trying: Trying; canEdit: boolean }) {
  const { rehearsal, error } = trying;
  const job = rehearsal?.job;
  const isChecking = !trying.moving.isOn && !trying.screens.isOn;
  return (
    <>
      {rehearsal?.result && !trying.isOpening && job?.state !== 'failed' && (
        <StepPages
          pages={trying.hasScreens ? PAGES : PAGES.slice(0, 2)}
          page={trying.task === 'screens' && !trying.hasScreens ? 'check' : trying.task}
          onPage={trying.setTask}
        />
      )}
      <Panel title={words.tryOut}>
        <PackageChoice trying={trying} canEdit={canEdit} />
        {error && (
          <p role="alert" className={classes.problem}>
            {error}
          </p>
        )}
        {trying.sending && <p role="status">{trying.sending}</p>}
        {job && isRunning(job) && <JobProgress job={job} canCancel={canEdit} />}
        {job?.state === 'failed' && (
          <p role="alert" className={classes.problem}>
            {job.error}
          </p>
        )}
        {job?.state === 'cancelled' && (
          <p role="alert" className={classes.problem}>
            {words.openingWasStoppedChoose}
          </p>
        )}
        {rehearsal && canEdit && isChecking && <WayChoice key={rehearsal.id} trying={trying} />}
        {rehearsal && trying.moving.isOn && (
          <MovePanel
            rehearsal={rehearsal}
            moving={trying.moving}
            canEdit={canEdit}
            onOpenAgain={() => void trying.read({})}
          />
        )}
        {trying.screens.isOn && <ScreensPanel screens={trying.screens} />}
        {rehearsal && trying.lining.isOn && isChecking && (
          <LiningUpPanel rehearsal={rehearsal} lining={trying.lining} canEdit={canEdit} />
        )}
        {rehearsal?.result && rehearsal.hand_over !== null && !isRunning(job) && isChecking && (
          <Changes rehearsal={rehearsal.id} />
        )}
        {rehearsal?.result && !isRunning(job) && job?.state !== 'failed' && isChecking && (
          <TrialReport
            trial={rehearsal.result}
            onPlace={trying.setPlace}
            onDifference={() => trying.setSight('difference')}
            onFiles={canEdit ? trying.lookForMissingIn : null}
          />
        )}
      </Panel>
    </>
  );
}

function PackageChoice({ trying, canEdit }: { trying: Trying; canEdit: boolean }) {
  const { handOvers, outside, rehearsal } = trying;
  const isChecking = !trying.moving.isOn && !trying.screens.isOn;
  const choices = [
    ...handOvers.map((one) => ({ value: `hand-over ${one.id}`, label: words.handOverNo(one.number, one.recipe) })),
    ...outside.map((one) => ({ value: `outside ${one.id}`, label: words.fromOutside(one.name) })),
  ];
  const value = rehearsal
    ? rehearsal.hand_over === null
      ? `outside ${rehearsal.id}`
      : `hand-over ${rehearsal.hand_over}`
    : '';
  const choose = (wanted: string) => {
    const [kind, id] = wanted.split(' ');
    if (kind === 'outside') trying.choose(Number(id));
    else void trying.open(Number(id));
  };
  return (
    <>
      {isChecking && <p>{choices.length === 0 ? words.noHandOversYetHand : words.thePackageIsRebuiltHere}</p>}
      <div className={classes.field}>
        <label htmlFor="tried-package">{words.package}</label>
        <NativeSelect
          id="tried-package"
          size="xs"
          data={choices.length === 0 ? [{ value: '', label: words.noneYet }] : choices}
          value={value}
          disabled={choices.length === 0 || !canEdit}
          onChange={(event) => choose(event.currentTarget.value)}
        />
        {rehearsal?.hand_over === null && canEdit && (
          <Button size="compact-sm" variant="default" onClick={() => void trying.close()}>
            {words.close}
          </Button>
        )}
      </div>
      {canEdit && isChecking && (
        <FileButton
          multiple
          onChange={(files) => files.length > 0 && void trying.send(files)}
          inputProps={{ 'aria-label': words.aPackageFromElsewhere }}
        >
          {(props) => (
            <Button {...props} size="compact-sm" variant="default" mb="sm">
              {words.openAPackageFromElsewhere}
            </Button>
          )}
        </FileButton>
      )}
    </>
  );
}

/** In which of the possible ways the files are read; of a sheet, by how many columns and rows. */
function WayChoice({ trying }: { trying: Trying }) {
  const { rehearsal, isOpening } = trying;
  const result = rehearsal?.result;
  const ways = result?.ways ?? [];
  const { job } = rehearsal ?? {};
  const asksForGrid = job?.state === 'failed' ? job.error_code === 'no-such-grid' : result?.way === 'sheet';
  return (
    <>
      {ways.length > 0 && (
        <div className={classes.field}>
          {ways.length > 1 ? <label htmlFor="tried-way">{words.readAs}</label> : <span>{words.readAs}</span>}
          {ways.length > 1 ? (
            <NativeSelect
              id="tried-way"
              size="xs"
              data={ways.map((way) => ({ value: way, label: WAYS[way] }))}
              value={rehearsal?.reading.way ?? result?.way}
              disabled={isOpening}
              onChange={(event) => trying.read({ way: event.currentTarget.value as Way })}
            />
          ) : (
            <span>{result && WAYS[result.way]}</span>
          )}
        </div>
      )}
      {result && Object.keys(result.scales).length > 1 && (
        <div className={classes.field}>
          <label htmlFor="tried-scale">{words.scale}</label>
          <NativeSelect
            id="tried-scale"
            size="xs"
            data={Object.entries(result.scales)
              .sort(([, one], [, other]) => one - other)
              .map(([manifest, scale]) => ({ value: manifest, label: `${scale} ×` }))}
            value={Object.keys(result.scales).find((manifest) => result.scales[manifest] === result.scale)}
            disabled={isOpening}
            onChange={(event) => trying.read({ manifest: event.currentTarget.value })}
          />
        </div>
      )}
      {result && !result.has_manifest && result.references.length > 1 && (
        <div className={classes.field}>
          <label htmlFor="tried-reference">{words.compareWith}</label>
          <NativeSelect
            id="tried-reference"
            size="xs"
            data={[...(result.reference ? [] : [{ value: '', label: words.nothing }]), ...result.references]}
            value={result.reference ?? ''}
            disabled={isOpening}
            onChange={(event) =>
              event.currentTarget.value && trying.read({ reference: event.currentTarget.value, places: null })
            }
          />
        </div>
      )}
      {result?.way === 'planes' && !result.has_manifest && rehearsal && !isOpening && (
        <PlanesFields reading={rehearsal.reading} onPlace={trying.read} />
      )}
      {asksForGrid && rehearsal && !isOpening && <GridFields reading={rehearsal.reading} onCut={trying.read} />}
    </>
  );
}
