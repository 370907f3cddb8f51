import { Anchor, Button, Text } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { isRunning, moveIn, type Project, packProject, removeProject, useArchives } from '../../api/calls';
import { JobProgress } from '../../ui/JobProgress';
import classes from './BringIn.module.css';
import { moving as words } from './words';

/** A project as one file, with everything in it, to be brought in on another machine. */
export function MoveOut({ project }: { project: Project }) {
  const queries = useQueryClient();
  const archives = useArchives(project.id);
  const [problem, setProblem] = useState<string | null>(null);
  const packed = archives.data?.filter((one) => one.direction === 'out') ?? [];
  const isPacking = packed.some((one) => isRunning(one.job));
  const pack = async () => {
    try {
      await packProject(project.id);
    } catch (caught) {
      setProblem((caught as Error).message);
    }
    await queries.invalidateQueries({ queryKey: ['archives', project.id] });
  };
  return (
    <div className={classes.form}>
      <p>{words.theFileHoldsEverythingOriginals}</p>
      {!isPacking && (
        <Button size="compact-md" onClick={pack}>
          {words.packIntoOneFile}
        </Button>
      )}
      <p role="alert">{problem}</p>
      {packed.map((one) => (
        <div key={one.id}>
          {one.job && isRunning(one.job) ? (
            <JobProgress job={one.job} canCancel />
          ) : one.job?.state === 'done' ? (
            <Anchor download href={`/api/archives/${one.id}/file`}>
              {words.packedDownload(one.created_at, one.bytes)}
            </Anchor>
          ) : (
            <Text size="sm">{one.job?.error || words.cancelled}</Text>
          )}
        </div>
      ))}
    </div>
  );
}

/** The button that brings a packed project in. */
export function MoveIn() {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const take = async (file: File) => {
    setShare(0);
    try {
      await moveIn(file, setShare);
      await queries.invalidateQueries({ queryKey: ['projects'] });
    } catch (caught) {
      notifications.show({
        color: 'orange',
        autoClose: false,
        title: words.notBroughtIn,
        message: (caught as Error).message,
      });
    }
    setShare(null);
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept=".zip"
        data-testid="project-file"
        onChange={(event) => {
          const [file] = event.currentTarget.files ?? [];
          event.currentTarget.value = '';
          if (file) void take(file);
        }}
      />
      <Button size="compact-sm" variant="default" disabled={share !== null} onClick={() => input.current?.click()}>
        {share === null ? words.bringInAPackedProject : words.sending(Math.round(share * 100))}
      </Button>
    </>
  );
}

/** How far a project is that is being unpacked, or why it was not. */
export function MovingIn({ project }: { project: Project }) {
  const queries = useQueryClient();
  const archives = useArchives(project.id);
  const coming = archives.data?.find((one) => one.direction === 'in');
  const state = coming?.job?.state;
  useEffect(() => {
    if (state === 'done') void queries.invalidateQueries({ queryKey: ['illustrations', project.id] });
  }, [state, queries, project.id]);
  if (!coming?.job || state === 'done') return null;
  if (isRunning(coming.job)) return <JobProgress job={coming.job} canCancel={project.role === 'owner'} />;
  const remove = async () => {
    await removeProject(project.id);
    await queries.invalidateQueries({ queryKey: ['projects'] });
  };
  return (
    <div role="alert" className={classes.problem}>
      <p>{coming.job.error || words.cancelledNothingWasUnpacked}</p>
      <Button size="compact-xs" variant="default" onClick={remove}>
        {words.removeEmptyProject}
      </Button>
    </div>
  );
}
