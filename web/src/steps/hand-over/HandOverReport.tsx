import { Button } from '@mantine/core';
import type { HandOver } from '../../api/calls';
import { bytes } from '../../ui/units';
import classes from './HandOver.module.css';
import { handOverReport as words } from './words';

const WAYS: Record<string, string> = {
  places: words.placedByTheManifest,
  'whole canvas': words.allAt00,
  layers: words.layeredFile,
  model: words.model,
  page: words.page,
  scene: words.sceneAsSvg,
  vector: words.partsAsSvg,
  'flip-book': words.firstOfTheFlipBook,
  openexr: words.openexrFile,
};

type Proof = NonNullable<HandOver['report']>['proof'];

/** What one hand-over wrote, and whether the picture came back from it. */
export function HandOverReport({ handOver, onGive }: { handOver: HandOver; onGive: () => void }) {
  const { report } = handOver;
  if (!report) return null;
  const { proof } = report;
  return (
    <section className={proof.ok ? classes.proved : classes.notProved} aria-labelledby={`hand-over-${handOver.id}`}>
      <h3 id={`hand-over-${handOver.id}`}>{words.no(handOver.number, handOver.recipe)}</h3>
      <p className={classes.figure} data-testid="proof">
        {proof.differing_pixels === null
          ? words.thePictureCouldNot
          : words.rebuiltFromThePackage(proof.differing_pixels, proof.pixels)}
      </p>
      {proof.looked_at === 'changes' && <p className={classes.facts}>{comparedNow(proof)}</p>}
      {!proof.ok && <Faults proof={proof} />}
      {proof.comparisons.length > 1 && (
        <ul className={classes.comparisons}>
          {proof.comparisons.map((one) => (
            <li key={`${one.way} ${one.scale}`} data-ok={one.ok}>
              {words.ofPixelsDiffer(WAYS[one.way] ?? one.way, one.scale, one.differing_pixels, one.pixels)}
              {one.allowed_largest > 0 &&
                words.byOf255AtMost(
                  one.largest.toFixed(0),
                  one.mean.toFixed(2),
                  one.allowed_largest < 255
                    ? words.andAreAllowed(one.allowed_largest, one.allowed_mean)
                    : words.formatCannotHoldEverything,
                )}
            </li>
          ))}
        </ul>
      )}
      <p className={classes.facts}>
        {words.ofFoundWrittenInS(
          report.parts,
          proof.found,
          proof.expected,
          report.bytes,
          report.files.filter((file) => !file.kept).length,
          report.seconds.toFixed(1),
        )}
      </p>
      <Button component="a" download href={`/api/hand-overs/${handOver.id}/package`} variant="default">
        {words.downloadZipOfNo(handOver.number, handOver.package_bytes ? `, ${bytes(handOver.package_bytes)}` : '')}
      </Button>{' '}
      <Button variant="default" onClick={onGive}>
        {words.linkForARecipient}
      </Button>
    </section>
  );
}

/** What a proof of the changes has compared, in a sentence. */
function comparedNow(proof: Proof): string {
  const compared = proof.comparisons[0]?.compared ?? proof.pixels;
  return compared > 0 ? words.comparedWherePartsChangedPixels(compared) : words.thePictureIsUnchangedSince;
}

function Faults({ proof }: { proof: Proof }) {
  const lists: [string, readonly string[]][] = [
    [words.missing, proof.missing],
    [words.unexpected, proof.extra],
    [words.unreadable, proof.unreadable],
    [words.wrongLetterCase, proof.wrong_case],
    [words.empty, proof.empty],
    [words.contradictions, proof.faults],
  ];
  return (
    <ul>
      {proof.worst && (
        <li>
          {words.theLargestDifferenceIs}
          {proof.max_difference}
          {words.of255AtPx(proof.worst.x, proof.worst.y)}
          {proof.worst.part && words.mostLikelyOf(proof.worst.part)}.
        </li>
      )}
      {lists.map(([name, found]) => found.length > 0 && <li key={name}>{`${name}: ${found.join('; ')}`}</li>)}
    </ul>
  );
}
