import { Button, Checkbox, TextInput } from '@mantine/core';
import { type Plan, type Recipe, useRoots } from '../../api/calls';
import { JobProgress } from '../../ui/JobProgress';
import { Panel } from '../../ui/Panel';
import { useFocusHere } from '../../ui/useFocusHere';
import classes from './HandOver.module.css';
import { HandOverReport } from './HandOverReport';
import { IncludedParts } from './IncludedParts';
import { PlanTree } from './PlanTree';
import { RecipePick } from './RecipePick';
import type { HandingOver, StepProps } from './useHandingOver';
import { planPage as words } from './words';

/** How many notes of a kind are seen. */
const SEEN = 3;

/** The plan before anything is written, one action, and what came of the last one. */
export function PlanPage(props: StepProps) {
  const { illustration, project, rows, chosen, isSaving, canEdit, handing, onChoose, act } = props;
  const { plan, planError, recipe, running, last, handOvers, error } = handing;
  const [newest] = handOvers;
  const work = useFocusHere<HTMLDivElement>(running?.job !== undefined && running.job !== null);
  const stops = plan?.notes.filter((note) => note.severity === 'error') ?? [];
  const images = plan?.files.filter((file) => file.kind === 'image' || file.kind === 'sheet') ?? [];
  const of = (change: string) => images.filter((file) => file.change === change).length;
  /** How many images are new and so on, without what there is none of. */
  const changes = (changed: string) =>
    [
      { number: of('new'), word: 'new' },
      { number: of('changed'), word: changed },
      { number: of('same'), word: 'unchanged' },
      { number: plan?.gone.length ?? 0, word: 'obsolete' },
    ]
      .filter(({ number }) => number > 0)
      .map(({ number, word }) => `${number} ${word}`)
      .join(', ') || words.noImages;
  return (
    <Panel title={words.handOver}>
      <RecipePick project={project} recipe={recipe} onPick={handing.setRecipe} />
      {recipe && <p className={`${classes.facts} ${classes.purpose}`}>{recipe.purpose}</p>}
      {planError && (
        <p role="alert" className={classes.problem}>
          {planError}
        </p>
      )}
      {canEdit && <FolderFields handing={handing} />}
      {plan && !planError && (
        <>
          <p>
            {words.imageCount(images.length)}
            {plan.scales.length > 1 && words.atScales(plan.scales.length)}
            {words.and(plan.files.length - images.length)}
            {plan.left_out.length > 0 && words.leftOut(plan.left_out.length)}
            {plan.empty.length > 0 && words.withoutAFile(plan.empty.length)}.
            {plan.folder && words.inTheFolder(changes(words.toBeReplaced))}
            {plan.compared_with !== null && words.comparedWithNo(plan.compared_with, changes('changed'))}
          </p>
          {plan.allowed.mean > 0 && <p>{words.theRebuiltPictureMayDiffer(plan.allowed.mean, plan.allowed.largest)}</p>}
          {canEdit && !running && (
            <div className={classes.act}>
              <Button onClick={handing.ask} disabled={isSaving || handing.isPlanning || stops.length > 0}>
                {words.handOverParts(plan.parts.length)}
              </Button>
              <Checkbox
                size="xs"
                label={words.selectedPartsOnly(chosen.length)}
                disabled={chosen.length === 0}
                checked={handing.isOfChosen}
                onChange={(event) => handing.setOfChosen(event.currentTarget.checked)}
              />
              {images.some((file) => file.change === 'same') && (
                <Checkbox
                  size="xs"
                  label={words.verifyUnchangedPartsToo}
                  checked={handing.provesEverything}
                  onChange={(event) => handing.setProvesEverything(event.currentTarget.checked)}
                />
              )}
            </div>
          )}
          {plan.notes.length > 0 && (
            <ul className={classes.notes} aria-label={words.findings}>
              {firstOfEach(plan.notes).map(({ note, more }) => (
                <li key={note.sentence} data-severity={note.severity}>
                  <strong>{note.severity === 'error' ? words.error : words.note}</strong>
                  {note.sentence}{' '}
                  {note.parts[0] && (
                    <button type="button" onClick={() => onChoose(note.parts, note.parts[0] ?? null)}>
                      {words.show}
                    </button>
                  )}
                  {recipe && offerOf(note, plan.notes, recipe) && (
                    <button
                      type="button"
                      onClick={() => handing.setRecipe(offerOf(note, plan.notes, recipe)?.recipe ?? recipe)}
                    >
                      {offerOf(note, plan.notes, recipe)?.label}
                    </button>
                  )}
                  {more > 0 && <span className={classes.facts}>{words.andMoreLikeIt(more)}</span>}
                </li>
              ))}
            </ul>
          )}
        </>
      )}
      {running?.job && (
        <div ref={work} tabIndex={-1} className={classes.running}>
          <strong>{words.no(running.number)}</strong>
          <JobProgress job={running.job} canCancel={canEdit} />
        </div>
      )}
      <div role="alert">
        {error && <p className={classes.problem}>{error}</p>}
        {newest?.job?.state === 'failed' && (
          <p className={classes.problem}>{words.noFailed(newest.number, newest.job.error)}</p>
        )}
        {newest?.job?.state === 'cancelled' && (
          <p className={classes.problem}>{words.noWasCancelledNothing(newest.number)}</p>
        )}
      </div>
      {last && <HandOverReport handOver={last} onGive={() => handing.setPage('past')} />}
      <IncludedParts rows={rows} chosen={chosen} canEdit={canEdit} act={act} onChoose={onChoose} />
      {plan && !planError && <PlanTree source={{ illustration, plan, only: handing.only }} onChoose={onChoose} />}
    </Panel>
  );
}

/** What would keep to a limit of the receiver: a smaller size, or fewer files on sheets. */
function offerOf(note: Note, notes: readonly Note[], recipe: Recipe): { label: string; recipe: Recipe } | null {
  if (note.kind !== 'limit') return null;
  if (note.fits !== null) {
    const factor = Math.min(...notes.flatMap((one) => (one.fits === null ? [] : [one.fits])));
    return { label: words.handOverAtScale(factor), recipe: { ...recipe, scales: [{ factor }] } };
  }
  if (note.files.length > 0) return null;
  return { label: words.packOnSheets, recipe: { ...recipe, images: { ...recipe.images, stored: 'sheets' } } };
}

/** A folder on the server's machine that the package goes into as well, where the administrator has opened one. */
function FolderFields({ handing }: { handing: HandingOver }) {
  const roots = useRoots().data ?? [];
  if (roots.length === 0) return null;
  return (
    <div className={classes.act}>
      <TextInput
        size="xs"
        label={words.alsoWriteToAFolder}
        placeholder={`${roots[0]}/...`}
        description={words.below(roots.join(' or '))}
        value={handing.folder}
        onChange={(event) => handing.setFolder(event.currentTarget.value)}
        style={{ flex: '1 1 14rem' }}
      />
      {handing.plan?.folder && handing.plan.gone.length > 0 && (
        <Checkbox
          size="xs"
          label={words.removeFromTheFolder(handing.plan.gone.length)}
          checked={handing.removesObsolete}
          onChange={(event) => handing.setRemovesObsolete(event.currentTarget.checked)}
        />
      )}
    </div>
  );
}

type Note = Plan['notes'][number];

/** The first notes of each kind, the last of them with how many more there are. */
function firstOfEach(notes: readonly Note[]): { note: Note; more: number }[] {
  return [...new Set(notes.map((note) => note.kind))].flatMap((kind) => {
    const found = notes.filter((note) => note.kind === kind);
    return found.slice(0, SEEN).map((note, at) => ({ note, more: at === SEEN - 1 ? found.length - SEEN : 0 }));
  });
}
