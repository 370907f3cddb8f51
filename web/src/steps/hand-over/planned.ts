/** A plan as rows: folders, and the files in them. */
import type { Plan } from '../../api/calls';

type File = Plan['files'][number];

export interface FolderRow {
  kind: 'folder';
  path: string;
  name: string;
  level: number;
  /** How many files are in it, however deep. */
  files: number;
}

export interface FileRow {
  kind: 'file';
  file: File;
  name: string;
  level: number;
}

/** The rows that are seen: files beside the images first, then folders in the order of their first file, front parts first. */
export function rowsOf(plan: Plan, folded: ReadonlySet<string>): (FolderRow | FileRow)[] {
  const counts = new Map<string, number>();
  for (const { file } of plan.files)
    for (const folder of foldersOf(file)) counts.set(folder, (counts.get(folder) ?? 0) + 1);
  const beside = plan.files.filter((file) => file.kind !== 'image');
  const images = plan.files.filter((file) => file.kind === 'image').reverse();
  const byFolder = new Map<string, FileRow[]>();
  const order: string[] = [];
  for (const file of [...beside, ...images]) {
    const folders = foldersOf(file.file);
    const folder = folders.at(-1) ?? '';
    for (const one of ['', ...folders]) {
      if (!byFolder.has(one)) {
        byFolder.set(one, []);
        order.push(one);
      }
    }
    byFolder.get(folder)?.push({
      kind: 'file',
      file,
      name: file.file.slice(folder ? folder.length + 1 : 0),
      level: folders.length,
    });
  }
  const rows: (FolderRow | FileRow)[] = [];
  const add = (folder: string, level: number) => {
    if (folder) {
      const name = folder.slice(folder.lastIndexOf('/') + 1);
      rows.push({ kind: 'folder', path: folder, name, level: level - 1, files: counts.get(folder) ?? 0 });
      if (folded.has(folder)) return;
    }
    rows.push(...(byFolder.get(folder) ?? []));
    for (const inner of order) if (inner && parentOf(inner) === folder) add(inner, level + 1);
  };
  add('', 0);
  return rows;
}

const parentOf = (path: string) => path.slice(0, Math.max(path.lastIndexOf('/'), 0));

/** The folders around a file, the outermost first. */
function foldersOf(file: string): string[] {
  const steps = file.split('/').slice(0, -1);
  return steps.map((_, at) => steps.slice(0, at + 1).join('/'));
}
