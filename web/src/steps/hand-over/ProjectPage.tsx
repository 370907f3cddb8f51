import { Button, Checkbox, NativeSelect, TextInput } from '@mantine/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { isRunning, type Recipe, useRecipes, useRoots } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { askCandidates, askTogether, handOverTogether } from '../../api/handOver';
import { JobProgress } from '../../ui/JobProgress';
import { Panel } from '../../ui/Panel';
import { moment } from '../../ui/units';
import classes from './HandOver.module.css';
import type { StepProps } from './useHandingOver';
import { projectPage as words } from './words';

type Together = Schemas['ProjectHandOver'];
type Candidate = Schemas['Candidate'];

/** Milliseconds between two questions how it stands. */
const POLL = 1000;
const OTHERS = 5000;

/** All illustrations of the project, or some, each by its recipe: one action, one package with an index. */
export function ProjectPage({ illustration, project, isSaving, canEdit, handing }: StepProps) {
  const queries = useQueryClient();
  const made = useQuery({
    queryKey: ['together', project],
    queryFn: () => askTogether(project),
    refetchInterval: ({ state }) => state.data?.some((one) => isRunning(one.job)) && POLL,
  }).data;
  const [newest, ...earlier] = made ?? [];
  const isBusy = isRunning(newest?.job ?? null);
  const candidates = useQuery({
    queryKey: ['together', project, 'candidates', isSaving, newest?.id, isBusy],
    queryFn: () => askCandidates(project),
    // Others bring in and change illustrations too.
    refetchInterval: OTHERS,
    placeholderData: (before) => before,
  }).data;
  // What was handed over just now is seen on the other pages too.
  useEffect(() => {
    if (newest && !isBusy) queries.invalidateQueries({ queryKey: ['hand-overs', illustration] });
  }, [newest, isBusy, illustration, queries]);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const [picked, setPicked] = useState<ReadonlyMap<number, Recipe>>(new Map());
  // What is worked with on the other pages counts here too.
  const by = handing.draft && !picked.has(illustration) ? new Map(picked).set(illustration, handing.draft) : picked;
  const [folder, setFolder] = useState('');
  const [error, setError] = useState('');
  const chosen = candidates?.filter((one) => !left.has(one.illustration)) ?? [];
  const ask = async () => {
    setError('');
    const illustrations = chosen.map((one) => ({
      illustration: one.illustration,
      recipe: by.get(one.illustration) ?? null,
    }));
    try {
      await handOverTogether(project, { illustrations, folder });
    } catch (problem) {
      if (!(problem instanceof Refusal)) throw problem;
      setError(problem.message);
    }
    await queries.invalidateQueries({ queryKey: ['together', project] });
  };
  return (
    <Panel title={words.handOverTheProject}>
      <p>{words.eachIllustrationByItsOwn}</p>
      {candidates && (
        <Candidates
          project={project}
          all={candidates}
          left={left}
          by={by}
          canEdit={canEdit}
          onLeft={setLeft}
          onBy={(one, recipe) => setPicked(new Map(picked).set(one, recipe))}
        />
      )}
      {canEdit && <Folder value={folder} onChange={setFolder} />}
      {canEdit && !isBusy && (
        <div className={classes.act}>
          <Button onClick={ask} disabled={isSaving || chosen.length === 0}>
            {words.handOver(chosen.length)}
          </Button>
        </div>
      )}
      <p role="alert" className={error ? classes.problem : undefined}>
        {error}
      </p>
      {newest && <Report one={newest} canEdit={canEdit} />}
      {earlier.length > 0 && (
        <>
          <h3>{words.earlierHandOvers}</h3>
          <ul className={classes.past}>
            {earlier.map((one) => (
              <li key={one.id}>
                <strong>{words.no(one.number)}</strong> {words.illustrationCount(one.packages.length)}
                <p className={classes.facts}>
                  {moment(one.created_at)}
                  {one.created_by && `, ${one.created_by}`}
                </p>
                <Download one={one} />
              </li>
            ))}
          </ul>
        </>
      )}
    </Panel>
  );
}

interface CandidatesProps {
  project: number;
  all: readonly Candidate[];
  left: ReadonlySet<number>;
  by: ReadonlyMap<number, Recipe>;
  canEdit: boolean;
  onLeft: (left: ReadonlySet<number>) => void;
  onBy: (illustration: number, recipe: Recipe) => void;
}

/** The illustrations with their recipes, and which of them have changed. */
function Candidates({ project, all, left, by, canEdit, onLeft, onBy }: CandidatesProps) {
  const recipes = useRecipes(project).data ?? [];
  const changed = all.filter((one) => one.has_changed);
  const only = (wanted: readonly Candidate[]) =>
    onLeft(new Set(all.filter((one) => !wanted.includes(one)).map((one) => one.illustration)));
  return (
    <>
      <div className={classes.act}>
        <Button size="compact-xs" variant="default" disabled={!canEdit} onClick={() => only(all)}>
          {words.all(all.length)}
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!canEdit || changed.length === 0}
          onClick={() => only(changed)}
        >
          {words.onlyChanged(changed.length)}
        </Button>
      </div>
      <ul className={classes.candidates} aria-label={words.illustrationsOfTheProject}>
        {all.map((one) => {
          const own = by.get(one.illustration);
          const names = recipes.map((recipe) => recipe.document.name);
          const now = own?.name ?? one.recipe;
          return (
            <li key={one.illustration}>
              <Checkbox
                size="sm"
                label={one.name}
                disabled={!canEdit}
                checked={!left.has(one.illustration)}
                onChange={() => {
                  const now = new Set(left);
                  if (!now.delete(one.illustration)) now.add(one.illustration);
                  onLeft(now);
                }}
              />
              <NativeSelect
                size="xs"
                aria-label={words.recipeOf(one.name)}
                disabled={!canEdit}
                data={names.includes(now) ? names : [now, ...names]}
                value={now}
                onChange={(event) => {
                  const found = recipes.find((recipe) => recipe.document.name === event.currentTarget.value);
                  if (found) onBy(one.illustration, found.document);
                }}
              />
              <span className={classes.facts}>{stateOf(one, own)}</span>
            </li>
          );
        })}
      </ul>
    </>
  );
}

function stateOf(one: Candidate, own: Recipe | undefined): string {
  if (one.last === null) return words.notHandedOverYet;
  if (own) return words.withThisRecipe;
  return one.has_changed ? words.changedSinceHandOverNo(one.last) : words.unchangedSinceHandOverNo(one.last);
}

/** A folder on the server's machine that all of it goes into as well. */
function Folder({ value, onChange }: { value: string; onChange: (folder: string) => void }) {
  const roots = useRoots().data ?? [];
  if (roots.length === 0) return null;
  return (
    <TextInput
      size="xs"
      label={words.alsoWriteToAFolder}
      placeholder={`${roots[0]}/...`}
      description={words.below(roots.join(' or '))}
      value={value}
      onChange={(event) => onChange(event.currentTarget.value)}
    />
  );
}

/** What one such hand-over came to: each package, the sheets that they share, and the way to have it. */
function Report({ one, canEdit }: { one: Together; canEdit: boolean }) {
  const isProved =
    one.report !== null &&
    one.report.faults.length === 0 &&
    one.packages.every((each) => each.state === 'done' && each.ok);
  const done = one.packages.filter((each) => each.state === 'done');
  return (
    <section
      className={isProved || isRunning(one.job) ? classes.proved : classes.notProved}
      aria-labelledby={`together-${one.id}`}
    >
      <h3 id={`together-${one.id}`}>{words.projectHandOverNo(one.number)}</h3>
      {one.job && isRunning(one.job) && (
        <>
          <p>{words.ofDone(done.length, one.packages.length)}</p>
          <JobProgress job={one.job} canCancel={canEdit} />
        </>
      )}
      {one.job?.state === 'cancelled' && <p>{words.cancelledNoPackageWasMade}</p>}
      {one.job?.state === 'failed' && <p role="alert">{one.job.error}</p>}
      {one.report && (
        <p className={classes.figure} data-testid="together">
          {words.packageCount(one.report.counts.packages)}, {words.partCount(one.report.counts.parts)},{' '}
          {words.fileCount(one.report.counts.files)}
          {isProved ? words.everyPictureVerified : '.'}
        </p>
      )}
      <ul className={classes.comparisons}>
        {one.packages.map((each) => (
          <li key={each.hand_over} data-ok={each.state !== 'done' ? each.error === '' : each.ok}>
            {each.name}: {saidOf(each)}
          </li>
        ))}
        {one.report?.sheets.map((sheet) => (
          <li key={sheet.file}>{words.pxShared(sheet.file, sheet.pictures, sheet.width, sheet.height)}</li>
        ))}
        {one.report?.faults.map((fault) => (
          <li key={fault} data-ok={false}>
            {fault}
          </li>
        ))}
      </ul>
      <Download one={one} />
    </section>
  );
}

function saidOf(one: Together['packages'][number]): string {
  if (one.error) return one.error;
  if (one.state !== 'done') return one.state === 'running' ? words.beingHandedOver : one.state;
  const proof = one.differing_pixels === null ? words.notVerified : words.pixelsDiffer(one.differing_pixels);
  return `${words.partCount(one.parts ?? 0)}, ${proof} (${one.recipe}${one.is_new ? '' : words.unchangedSinceHandOverNoNumber(one.number)})`;
}

function Download({ one }: { one: Together }) {
  if (!one.report) return null;
  if (!one.is_kept) return <p className={classes.facts}>{words.itsFilesAreNoLonger}</p>;
  return (
    <Button component="a" download href={`/api/project-hand-overs/${one.id}/package`} variant="default">
      {words.downloadZipOfAll(one.report.counts.bytes)}
    </Button>
  );
}
