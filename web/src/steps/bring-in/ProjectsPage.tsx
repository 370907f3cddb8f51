import { Button, Group, Menu, Modal, Text, Title } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type Project, removeProject, renameProject, startProject, useProjects, useRoom } from '../../api/calls';
import { AccountMenu, type SignedIn } from '../../ui/AccountMenu';
import ui from '../../ui/ui.module.css';
import { bytes } from '../../ui/units';
import { useFileDrop } from '../../ui/useFileDrop';
import { Wordmark } from '../../ui/Wordmark';
import { Bin, tellRemoved } from './Bin';
import { Illustrations } from './Illustrations';
import { Members } from './Members';
import { MoveIn, MoveOut, MovingIn } from './Moving';
import { NameDialog } from './NameDialog';
import classes from './ProjectsPage.module.css';
import { projectsPage as words } from './words';

/** Every project with its illustrations; a file may be dropped on any of them. */
export function ProjectsPage({ user }: { user: SignedIn }) {
  const projects = useProjects();
  const [isStarting, setStarting] = useState(false);
  const [moving, setMoving] = useState<Project | null>(null);
  const [renaming, setRenaming] = useState<Project | null>(null);
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
      <title>{words.projectsYuplet}</title>
      <header className={classes.head}>
        <Wordmark />
        <span className={classes.gap} />
        <Bin />
        <MoveIn />
        <Button size="compact-sm" variant="default" onClick={() => setStarting(true)}>
          {words.startProject}
        </Button>
        <AccountMenu user={user} />
      </header>
      <main className={classes.page}>
        <Title order={1} className={ui.unseen}>
          {words.projects}
        </Title>
        <AccountRoom />
        {projects.error && <Text role="alert">{projects.error.message}</Text>}
        {projects.data?.length === 0 && <Text>{words.noProjectsYetStartOne}</Text>}
        {projects.data?.map((project) => (
          <ProjectSection
            key={project.id}
            project={project}
            onMembers={() => setMembersOf(project)}
            onRename={() => setRenaming(project)}
            onMove={() => setMoving(project)}
            onRemove={() => remove(project)}
          />
        ))}
      </main>
      {isStarting && (
        <NameDialog
          title={words.startProject}
          action={words.start}
          onName={async (name) => {
            await startProject(name);
            await queries.invalidateQueries({ queryKey: ['projects'] });
          }}
          onClose={() => setStarting(false)}
        />
      )}
      {renaming && (
        <NameDialog
          title={words.renameProject}
          action={words.rename}
          name={renaming.name}
          onName={async (name) => {
            await renameProject(renaming.id, name);
            await queries.invalidateQueries({ queryKey: ['projects'] });
          }}
          onClose={() => setRenaming(null)}
        />
      )}
      <Modal
        opened={moving !== null}
        onClose={() => setMoving(null)}
        title={words.pack(moving?.name ?? '')}
        closeButtonProps={{ 'aria-label': words.close }}
      >
        {moving && <MoveOut project={moving} />}
      </Modal>
      <Modal
        opened={membersOf !== null}
        onClose={() => setMembersOf(null)}
        size="lg"
        title={words.membersOf(membersOf?.name ?? '')}
        closeButtonProps={{ 'aria-label': words.close }}
      >
        {membersOf && <Members project={membersOf} />}
      </Modal>
    </div>
  );
}

interface SectionProps {
  project: Project;
  onMembers: () => void;
  onRename: () => void;
  onMove: () => void;
  onRemove: () => void;
}

/** A project: what can be done with it, and its illustrations. */
function ProjectSection({ project, onMembers, onRename, onMove, onRemove }: SectionProps) {
  return (
    <section className={classes.project} aria-labelledby={`project-${project.id}`}>
      <Group gap="sm" align="baseline">
        <Title order={2} size="h3" id={`project-${project.id}`}>
          {project.name}
        </Title>
        <Text c="dimmed" size="sm">
          {words.youAre(project.role === 'viewer', project.role)}
        </Text>
        <Room used={project.bytes} most={project.most_bytes} />
        <Button size="compact-xs" variant="default" onClick={onMembers}>
          {words.members}
        </Button>
        {project.role === 'owner' && (
          <Menu position="bottom-start">
            <Menu.Target>
              <Button size="compact-xs" variant="default" aria-label={words.moreForProject(project.name)}>
                ⋯
              </Button>
            </Menu.Target>
            <Menu.Dropdown>
              <Menu.Item onClick={onRename}>{words.renameProject}</Menu.Item>
              <Menu.Item onClick={onMove}>{words.packProject}</Menu.Item>
              <Menu.Item onClick={onRemove}>{words.removeProject}</Menu.Item>
            </Menu.Dropdown>
          </Menu>
        )}
      </Group>
      <MovingIn project={project} />
      <Illustrations project={project} />
    </section>
  );
}

/** What all projects take that count for whoever is signed in, where an account has a limit. */
function AccountRoom() {
  const room = useRoom().data;
  return !room || room.most_bytes === null ? null : (
    <Room used={room.bytes} most={room.most_bytes} before={words.theProjectsThatYouOwn} />
  );
}

/** What files take; told apart where it is nearly all that they may. */
function Room({ used, most, before = '' }: { used: number; most: number | null; before?: string }) {
  const isNearlyFull = most !== null && used > 0.8 * most;
  return (
    <Text size="sm" c={isNearlyFull ? 'var(--mantine-color-error)' : 'dimmed'}>
      {before}
      {most === null ? bytes(used) : words.of(used, most)}
      {isNearlyFull && words.nearlyFullRemoveIllustrations}
    </Text>
  );
}
