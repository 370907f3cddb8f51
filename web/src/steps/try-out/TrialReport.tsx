import { Button, FileButton } from '@mantine/core';
import type { Trial } from '../../api/rehearsals';
import { count, plural } from '../../ui/units';
import classes from './TryOut.module.css';

interface Props {
  trial: Trial;
  onPlace: (place: { x: number; y: number }) => void;
  onDifference: () => void;
  /** Look for what is missing in these files; null where that may not be done. */
  onFiles: ((files: readonly File[]) => void) | null;
}

/** At most so many of a kind are listed. */
const LISTED = 8;

/** Whether the picture comes back, and what is there of the package. */
export function TrialReport(props: Props) {
  return (
    <>
      <Compared {...props} />
      <Inventory {...props} />
    </>
  );
}

function Compared({ trial: { comparison, parts, way, has_manifest }, onPlace, onDifference }: Props) {
  if (!comparison) {
    const frames = way === 'sheet' || way === 'flip-book' ? 'frame' : 'part';
    return (
      <section className={classes.right}>
        <h3>{plural(parts.length, frames)}</h3>
        <p className={classes.facts}>
          {has_manifest
            ? 'The sheet was cut without the manifest. Frames that differ from the manifest are listed below.'
            : 'Nothing to compare with. Choose a picture of the whole above, or add one to the files.'}
        </p>
      </section>
    );
  }
  const { worst } = comparison;
  return (
    <section className={comparison.ok ? classes.right : classes.wrong} aria-label="Comparison">
      <p className={classes.figure} data-testid="compared">
        {count(comparison.differing_pixels)} of {count(comparison.pixels)} pixels differ.
      </p>
      {comparison.differing_pixels > 0 && (
        <p className={classes.facts}>
          By {comparison.largest.toFixed(0)} of 255 levels at most, {comparison.mean.toFixed(2)} on average
          {comparison.allowed_largest >= 255 && '; this format cannot hold everything in the picture'}
          {comparison.allowed_largest > 0 &&
            comparison.allowed_largest < 255 &&
            `; up to ${comparison.allowed_largest} and ${comparison.allowed_mean} are within the tolerance of this format`}
          .
        </p>
      )}
      {worst && (
        <p className={classes.facts}>
          The largest difference is at {worst.x}, {worst.y} px{worst.part && `, most likely of '${worst.part}'`}.{' '}
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => {
              onDifference();
              onPlace({ x: worst.x, y: worst.y });
            }}
          >
            Show
          </Button>
        </p>
      )}
    </section>
  );
}

const isClean = ({ inventory }: Trial) =>
  [
    inventory.missing,
    inventory.extra,
    inventory.unreadable,
    inventory.wrong_case,
    inventory.empty,
    inventory.faults,
  ].every((found) => found.length === 0);

function Inventory({ trial, onFiles }: Props) {
  const { inventory, has_manifest, parts } = trial;
  const lists: readonly [string, readonly string[]][] = [
    ['Missing: shown as empty boxes', inventory.missing],
    ['Wrong letter case, used anyway', inventory.wrong_case],
    ['Unreadable', inventory.unreadable],
    ['Empty images', inventory.empty],
    ['Unexpected', inventory.extra],
    ['Contradictions', inventory.faults],
    ['Larger than 8,192 px, too large for many target programs', trial.too_large],
  ];
  return (
    <section className={isClean(trial) ? classes.right : classes.wrong} aria-label="Inventory">
      <p className={classes.figure} data-testid="inventory">
        {count(inventory.found)} of {plural(inventory.expected, 'file')} found
      </p>
      <p className={classes.facts}>
        {has_manifest &&
          `${plural(parts.length, 'part')}, ${count(parts.filter((part) => part.shown).length)} of them shown.`}
        {has_manifest ? '' : 'No manifest: the kind of each file was recognised from the file alone.'}
      </p>
      {inventory.missing.length > 0 && onFiles && (
        <FileButton
          multiple
          onChange={(files) => files.length > 0 && onFiles(files)}
          inputProps={{ 'aria-label': 'Files that are missing' }}
        >
          {(props) => (
            <Button {...props} size="compact-sm" variant="default" mt={6}>
              Find missing files
            </Button>
          )}
        </FileButton>
      )}
      <ul className={classes.trouble}>
        {lists.map(
          ([what, found]) =>
            found.length > 0 && (
              <li key={what}>
                {what}:
                <ul>
                  {found.slice(0, LISTED).map((one) => (
                    <li key={one}>{one}</li>
                  ))}
                  {found.length > LISTED && <li>and {count(found.length - LISTED)} more</li>}
                </ul>
              </li>
            ),
        )}
      </ul>
    </section>
  );
}
