import { Button, Group, Modal, Text, TextInput, Title } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type Project, removeProject, startProject, useProjects } from '../../api/calls';
import { AccountMenu, type SignedIn } from '../../ui/AccountMenu';
import { bytes } from '../../ui/units';
import { useFileDrop } from '../../ui/useFileDrop';
import { Wordmark } from '../../ui/Wordmark';
import { Bin, tellRemoved } from './Bin';
import { Illustrations } from './Illustrations';
import { Members } from './Members';
import { MoveIn, MoveOut, MovingIn } from './Moving';
import classes from './ProjectsPage.module.css';

/** Every project with its illustrations; a file may be dropped on any of them. */
export function ProjectsPage({ user }: { user: SignedIn }) {
  const projects = useProjects();
  const [isStarting, setStarting] = useState(false);
  const [moving, setMoving] = useState<Project | null>(null);
  const [membersOf, setMembersOf] = useState<Project | null>(null);
  const { handlers } = useFileDrop(false, () => undefined);
  const queries = useQueryClient();
  const remove = async (project: Project) => {
    try {
      await removeProject(project.id);
      tellRemoved(project.name);
    } catch (problem) {
      notifications.show({ color: 'red', message: (problem as Error).message });
    }
    await queries.invalidateQueries({ queryKey: ['projects'] });
  };
  return (
    <div className={classes.whole} {...handlers}>
      <title>Projects · Yuplet</title>
      <header className={classes.head}>
        <Wordmark />
        <span className={classes.gap} />
        <Bin />
        <MoveIn />
        <Button size="compact-sm" variant="default" onClick={() => setStarting(true)}>
          Start a project
        </Button>
        <AccountMenu user={user} />
      </header>
      <main className={classes.page}>
        <Title order={1} className={classes.visuallyHidden}>
          Projects
        </Title>
        {projects.error && <Text role="alert">{projects.error.message}</Text>}
        {projects.data?.length === 0 && (
          <Text>
            There is no project yet. Start one for a character, a scene, a prop set or an interface kit, then bring in
            its picture.
          </Text>
        )}
        {projects.data?.map((project) => (
          <ProjectSection
            key={project.id}
            project={project}
            onMembers={() => setMembersOf(project)}
            onMove={() => setMoving(project)}
            onRemove={() => remove(project)}
          />
        ))}
      </main>
      <Modal
        opened={isStarting}
        onClose={() => setStarting(false)}
        title="Start a project"
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        <NewProject onDone={() => setStarting(false)} />
      </Modal>
      <Modal
        opened={moving !== null}
        onClose={() => setMoving(null)}
        title={`Take ${moving?.name ?? ''} elsewhere`}
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        {moving && <MoveOut project={moving} />}
      </Modal>
      <Modal
        opened={membersOf !== null}
        onClose={() => setMembersOf(null)}
        size="lg"
        title={`Members of ${membersOf?.name ?? ''}`}
        closeButtonProps={{ 'aria-label': 'Close' }}
      >
        {membersOf && <Members project={membersOf} />}
      </Modal>
    </div>
  );
}

interface SectionProps {
  project: Project;
  onMembers: () => void;
  onMove: () => void;
  onRemove: () => void;
}

/** A project: what can be done with it, and its illustrations. */
function ProjectSection({ project, onMembers, onMove, onRemove }: SectionProps) {
  return (
    <section className={classes.project} aria-labelledby={`project-${project.id}`}>
      <Group gap="sm" align="baseline">
        <Title order={2} size="h3" id={`project-${project.id}`}>
          {project.name}
        </Title>
        <Text c="dimmed" size="sm">
          you are {project.role === 'viewer' ? 'a' : 'an'} {project.role}
        </Text>
        <Room project={project} />
        <Button size="compact-xs" variant="default" onClick={onMembers}>
          Members
        </Button>
        {project.role === 'owner' && (
          <Button size="compact-xs" variant="default" onClick={onMove}>
            Take it elsewhere
          </Button>
        )}
        {project.role === 'owner' && (
          <Button size="compact-xs" variant="default" aria-label={`Remove project ${project.name}`} onClick={onRemove}>
            Remove project
          </Button>
        )}
      </Group>
      <MovingIn project={project} />
      <Illustrations project={project} />
    </section>
  );
}

/** What the files of a project take; told apart where it is nearly all that it may have. */
function Room({ project }: { project: Project }) {
  const { most_bytes: most } = project;
  const isNearlyFull = most !== null && project.bytes > 0.8 * most;
  return (
    <Text size="sm" c={isNearlyFull ? 'var(--mantine-color-error)' : 'dimmed'}>
      {most === null ? bytes(project.bytes) : `${bytes(project.bytes)} of ${bytes(most)}`}
      {isNearlyFull && ', nearly full: remove what is not needed, or ask an administrator for more'}
    </Text>
  );
}

function NewProject({ onDone }: { onDone: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [error, setError] = useState<string | null>(null);
  const submit = async (event: React.FormEvent) => {
    event.preventDefault();
    try {
      await startProject(name);
      await queries.invalidateQueries({ queryKey: ['projects'] });
      onDone();
    } catch (problem) {
      setError((problem as Error).message);
    }
  };
  return (
    <form onSubmit={submit}>
      <TextInput
        label="Name"
        required
        maxLength={120}
        value={name}
        error={error}
        onChange={(event) => setName(event.currentTarget.value)}
        data-autofocus
      />
      <Group justify="flex-end" mt="md">
        <Button type="submit">Start</Button>
      </Group>
    </form>
  );
}
