import { Button, FileButton } from '@mantine/core';
import type { Trial } from '../../api/rehearsals';
import classes from './TryOut.module.css';
import { trialReport as words } from './words';

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
        <h3>{words.pluralCount(parts.length, frames)}</h3>
        <p className={classes.facts}>{has_manifest ? words.theSheetWasCutWithout : words.nothingToCompareWithChoose}</p>
      </section>
    );
  }
  const { worst } = comparison;
  return (
    <section className={comparison.ok ? classes.right : classes.wrong} aria-label={words.comparison}>
      <p className={classes.figure} data-testid="compared">
        {words.ofPixelsDiffer(comparison.differing_pixels, comparison.pixels)}
      </p>
      {comparison.differing_pixels > 0 && (
        <p className={classes.facts}>
          {words.byOf255Levels(comparison.largest.toFixed(0), comparison.mean.toFixed(2))}
          {comparison.allowed_largest >= 255 && words.thisFormatCannotHoldEverything}
          {comparison.allowed_largest > 0 &&
            comparison.allowed_largest < 255 &&
            words.upToAndAreWithin(comparison.allowed_largest, comparison.allowed_mean)}
          .
        </p>
      )}
      {worst && (
        <p className={classes.facts}>
          {words.theLargestDifference(worst.x, worst.y)}
          {worst.part && words.mostLikelyOf(worst.part)}.{' '}
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => {
              onDifference();
              onPlace({ x: worst.x, y: worst.y });
            }}
          >
            {words.show}
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
    [words.missingShownAsEmptyBoxes, inventory.missing],
    [words.wrongLetterCaseUsedAnyway, inventory.wrong_case],
    [words.unreadable, inventory.unreadable],
    [words.emptyImages, inventory.empty],
    [words.unexpected, inventory.extra],
    [words.contradictions, inventory.faults],
    [words.largerThan8192Px, trial.too_large],
  ];
  return (
    <section className={isClean(trial) ? classes.right : classes.wrong} aria-label={words.inventory}>
      <p className={classes.figure} data-testid="inventory">
        {words.ofFound(inventory.found, inventory.expected)}
      </p>
      <p className={classes.facts}>
        {has_manifest && words.ofThemShown(parts.length, parts.filter((part) => part.shown).length)}
        {has_manifest ? '' : words.noManifestTheKind}
      </p>
      {inventory.missing.length > 0 && onFiles && (
        <FileButton
          multiple
          onChange={(files) => files.length > 0 && onFiles(files)}
          inputProps={{ 'aria-label': words.filesThatAreMissing }}
        >
          {(props) => (
            <Button {...props} size="compact-sm" variant="default" mt={6}>
              {words.findMissingFiles}
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
                  {found.length > LISTED && <li>{words.andMore(found.length - LISTED)}</li>}
                </ul>
              </li>
            ),
        )}
      </ul>
    </section>
  );
}
