import { Button, NativeSelect, NumberInput } from '@mantine/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { isRunning } from '../../api/calls';
import { Refusal } from '../../api/client';
import { askFilms, discardFilm, type Film, type FilmKind, filmsKey, startFilm } from '../../api/motion';
import type { Rehearsal } from '../../api/rehearsals';
import { JobProgress } from '../../ui/JobProgress';
import { bytes } from '../../ui/units';
import classes from './Move.module.css';
import { filmPanel as words } from './words';

const KINDS: readonly { value: FilmKind; label: string }[] = [
  { value: 'apng', label: words.animatedPng },
  { value: 'webp', label: words.animatedWebpLossless },
  { value: 'gif', label: words.animatedGifOneBit },
  { value: 'png', label: words.numberedPngInAZip },
  { value: 'webm', label: words.videoWebmWithVp9No },
];
/** What plays the motion itself, as large as the canvas. */
const PLAYED: readonly { value: FilmKind; label: string }[] = [
  { value: 'page', label: words.playablePageHtml },
  { value: 'drawing', label: words.animatedSvg },
  { value: 'model', label: words.animated3dModelGltf },
  { value: 'motion', label: words.motionOnlyJson },
];
const POLL = 500;

/** The motion written down: which format, how wide, and the films that there are. */
export function FilmPanel({ rehearsal, canEdit }: { rehearsal: Rehearsal; canEdit: boolean }) {
  const queries = useQueryClient();
  const [kind, setKind] = useState<FilmKind>('apng');
  const [width, setWidth] = useState<number>(Math.min(rehearsal.result?.width ?? 1080, 1080));
  const [error, setError] = useState<string | null>(null);
  const films = useQuery({
    queryKey: filmsKey(rehearsal.id),
    queryFn: () => askFilms(rehearsal.id),
    refetchInterval: ({ state }) => (state.data?.some((film) => isRunning(film.job)) ? POLL : false),
  });
  const isFilm = KINDS.some(({ value }) => value === kind);
  const perform = async (ask: () => Promise<unknown>) => {
    setError(null);
    try {
      await ask();
    } catch (problem) {
      if (!(problem instanceof Refusal)) throw problem;
      setError(problem.message);
    }
    await queries.invalidateQueries({ queryKey: filmsKey(rehearsal.id) });
  };
  return (
    <fieldset className={classes.pose}>
      <legend>{words.film}</legend>
      {canEdit && (
        <>
          <NativeSelect
            size="xs"
            label={words.format}
            data={[
              { group: words.film, items: [...KINDS] },
              { group: words.forOtherPrograms, items: [...PLAYED] },
            ]}
            value={kind}
            onChange={(event) => setKind(event.currentTarget.value as FilmKind)}
          />
          {isFilm && (
            <NumberInput
              size="xs"
              label={words.widthPx}
              min={1}
              max={8192}
              value={width}
              onChange={(value) => setWidth(Math.round(Number(value) || 0))}
            />
          )}
          <div className={classes.buttons}>
            <Button
              size="compact-sm"
              disabled={(isFilm && width < 1) || films.data?.some((film) => isRunning(film.job))}
              onClick={() => void perform(() => startFilm(rehearsal.id, kind, isFilm ? width : null))}
            >
              {isFilm ? words.writeFilm : words.writeMotion}
            </Button>
          </div>
        </>
      )}
      {error && (
        <p role="alert" className={classes.problem}>
          {error}
        </p>
      )}
      {(films.data ?? []).map((film) => (
        <FilmRow
          key={film.id}
          film={film}
          canEdit={canEdit}
          onDiscard={() => void perform(() => discardFilm(film.id))}
        />
      ))}
    </fieldset>
  );
}

function FilmRow({ film, canEdit, onDiscard }: { film: Film; canEdit: boolean; onDiscard: () => void }) {
  const { job } = film;
  return (
    <div className={classes.film}>
      {job && isRunning(job) && <JobProgress job={job} canCancel={canEdit} />}
      {job?.state === 'failed' && (
        <p role="alert" className={classes.problem}>
          {job.error}
        </p>
      )}
      {film.bytes > 0 && (
        <a href={`/api/films/${film.id}/file`} download>
          {[...KINDS, ...PLAYED].find(({ value }) => value === film.kind)?.label}
        </a>
      )}
      {film.bytes > 0 && (
        <span>
          {words.pictureCount(film.pictures)}, {bytes(film.bytes)}
        </span>
      )}
      {job?.state === 'cancelled' && <span>{words.stopped}</span>}
      {canEdit && !isRunning(job) && (
        <Button size="compact-xs" variant="default" aria-label={words.discardFilm} onClick={onDiscard}>
          {words.discard}
        </Button>
      )}
      {film.replay && (
        <p className={film.replay.ok ? classes.hint : classes.problem}>
          {film.replay.ok
            ? words.readBackAtEveryPart(film.replay.moments, Math.max(0.1, film.replay.pixels).toFixed(1))
            : words.readBackTheMotionDiffers(film.replay.pixels.toFixed(1), film.replay.differently)}
        </p>
      )}
      {film.notes.map((note) => (
        <p key={note} className={classes.hint}>
          {note}
        </p>
      ))}
    </div>
  );
}
