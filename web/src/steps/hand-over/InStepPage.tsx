import { Button, Checkbox, MultiSelect, TextInput } from '@mantine/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useRecipes, useRoots } from '../../api/calls';
import { Refusal, type Schemas } from '../../api/client';
import { askInStep, endInStep, keepInStep } from '../../api/handOver';
import form from '../../ui/form.module.css';
import { Panel } from '../../ui/Panel';
import { moment } from '../../ui/units';
import classes from './HandOver.module.css';
import type { StepProps } from './useHandingOver';
import { inStepPage as words } from './words';

/** Milliseconds between two questions how it stands. */
const POLL = 2000;

const STATES: Record<string, string> = {
  watching: words.watchingForChanges,
  blocked: words.aChangeCouldNot,
  reading: words.readingAChange,
  deciding: words.waitingForYourDecision,
  writing: words.handingOverAChange,
};

/** A file or a folder of images on the server: each time it is saved, it becomes a revision and is handed over. */
export function InStepPage({ illustration, project, canEdit }: StepProps) {
  const queries = useQueryClient();
  const key = ['in-step', illustration];
  const roots = useRoots().data ?? [];
  const [one] =
    useQuery({
      queryKey: key,
      refetchInterval: POLL,
      queryFn: () => askInStep(illustration),
    }).data ?? [];
  const passes = one?.passes.length;
  useEffect(() => {
    if (passes) queries.invalidateQueries({ queryKey: ['hand-overs', illustration] });
  }, [passes, illustration, queries]);
  const [said, setSaid] = useState('');
  const tried = async (work: () => Promise<unknown>) => {
    setSaid('');
    try {
      await work();
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setSaid(error.message);
    }
    await queries.invalidateQueries({ queryKey: key });
  };
  return (
    <Panel title={words.watchedFile}>
      {roots.length === 0 && <p>{words.aFileOrFolder}</p>}
      {one && <Watched one={one} canEdit={canEdit} onEnd={() => tried(() => endInStep(illustration))} />}
      {!one && roots.length > 0 && (
        <KeepForm
          roots={roots}
          project={project}
          canEdit={canEdit}
          onKeep={(wanted) => tried(() => keepInStep(illustration, wanted))}
        />
      )}
      <p role="alert" className={form.told}>
        {said}
      </p>
    </Panel>
  );
}

interface WatchedProps {
  one: Schemas['WatchedSource'];
  canEdit: boolean;
  onEnd: () => void;
}

/** What is watched, how that stands, and the revisions that came of it. */
function Watched({ one, canEdit, onEnd }: WatchedProps) {
  const isStalled =
    one.state === 'blocked' || one.state === 'deciding' || (one.state === 'watching' && one.said !== '');
  return (
    <div className={form.form}>
      <p>
        <strong>{one.file}</strong>
      </p>
      <p role={isStalled ? 'alert' : 'status'} className={isStalled ? classes.problem : undefined}>
        {STATES[one.state]} {one.said}
      </p>
      <p className={form.told}>
        {words.by(one.recipes.map((recipe) => recipe.name).join(', '), one.folder && words.into(one.folder))}
        {one.remove_obsolete && words.obsoleteFilesAreRemoved}.
      </p>
      <Button size="xs" variant="default" disabled={!canEdit} onClick={onEnd}>
        {words.stopWatching}
      </Button>
      <h3>{words.runs}</h3>
      {one.passes.length === 0 && <p className={form.told}>{words.noRunsYet}</p>}
      <ul className={classes.past}>
        {one.passes.map((pass) => (
          <li key={pass.revision}>
            <strong>{words.revision(pass.revision)}</strong>
            {words.handedOverAs(pass.hand_overs)}
            <p className={classes.facts}>
              {moment(pass.at)}:{' '}
              {Object.entries(pass.changes)
                .map(([change, number]) => `${words.layerCount(number)} ${change}`)
                .join(', ') || words.stateAtTheStart}
            </p>
          </li>
        ))}
      </ul>
    </div>
  );
}

interface KeepProps {
  roots: readonly string[];
  project: number;
  canEdit: boolean;
  onKeep: (wanted: Schemas['SetWatchedSourceRequest']) => void;
}

/** What is to be watched, and how it is handed over. */
function KeepForm({ roots, project, canEdit, onKeep }: KeepProps) {
  const recipes = useRecipes(project).data ?? [];
  const [file, setFile] = useState('');
  const [folder, setFolder] = useState('');
  const [chosen, setChosen] = useState<string[]>([]);
  const [removes, setRemoves] = useState(false);
  const documents = recipes.filter((recipe) => chosen.includes(recipe.document.name)).map((recipe) => recipe.document);
  return (
    <div className={form.form}>
      <p className={form.told}>{words.eachSaveBecomesARevision}</p>
      <TextInput
        size="xs"
        label={words.fileOrFolderOfImages}
        description={words.below(roots.join(' or '))}
        value={file}
        onChange={(event) => setFile(event.currentTarget.value)}
      />
      <MultiSelect
        size="xs"
        label={words.recipes}
        data={recipes.map((recipe) => recipe.document.name)}
        value={chosen}
        onChange={setChosen}
      />
      <TextInput
        size="xs"
        label={words.alsoWriteToFolder}
        placeholder={words.none}
        value={folder}
        onChange={(event) => setFolder(event.currentTarget.value)}
      />
      <Checkbox
        size="xs"
        label={words.removeObsoleteFiles}
        disabled={!folder}
        checked={removes}
        onChange={(event) => setRemoves(event.currentTarget.checked)}
      />
      <Button
        size="xs"
        disabled={!canEdit || !file || documents.length === 0}
        onClick={() => onKeep({ file, folder, remove_obsolete: removes, recipes: documents })}
      >
        {words.watch}
      </Button>
    </div>
  );
}
