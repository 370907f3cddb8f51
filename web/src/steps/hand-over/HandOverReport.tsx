import { Button } from '@mantine/core';
import type { HandOver } from '../../api/calls';
import { bytes, count, plural } from '../../ui/units';
import classes from './HandOver.module.css';

const WAYS: Record<string, string> = {
  places: 'Placed by the manifest',
  'whole canvas': 'All at 0, 0',
  layers: 'Layered file',
  model: 'Model',
  page: 'Page',
  scene: 'Scene as SVG',
  vector: 'Parts as SVG',
  'flip-book': 'First of the flip-book',
  openexr: 'OpenEXR file',
};

type Proof = NonNullable<HandOver['report']>['proof'];

/** What one hand-over wrote, and whether the picture came back from it. */
export function HandOverReport({ handOver, onGive }: { handOver: HandOver; onGive: () => void }) {
  const { report } = handOver;
  if (!report) return null;
  const { proof } = report;
  return (
    <section className={proof.ok ? classes.proved : classes.notProved} aria-labelledby={`hand-over-${handOver.id}`}>
      <h3 id={`hand-over-${handOver.id}`}>
        No. {handOver.number}, {handOver.recipe}
      </h3>
      <p className={classes.figure} data-testid="proof">
        {proof.differing_pixels === null
          ? 'The picture could not be rebuilt.'
          : `Rebuilt from the package: ${count(proof.differing_pixels)} of ${count(proof.pixels)} pixels differ.`}
      </p>
      {proof.looked_at === 'changes' && <p className={classes.facts}>{comparedNow(proof)}</p>}
      {!proof.ok && <Faults proof={proof} />}
      {proof.comparisons.length > 1 && (
        <ul className={classes.comparisons}>
          {proof.comparisons.map((one) => (
            <li key={`${one.way} ${one.scale}`} data-ok={one.ok}>
              {WAYS[one.way] ?? one.way}, {one.scale} ×: {count(one.differing_pixels)} of {count(one.pixels)} pixels
              differ
              {one.allowed_largest > 0 &&
                `, by ${one.largest.toFixed(0)} of 255 at most and ${one.mean.toFixed(2)} on average (${one.allowed_largest < 255 ? `${one.allowed_largest} and ${one.allowed_mean} are allowed` : 'format cannot hold everything'})`}
            </li>
          ))}
        </ul>
      )}
      <p className={classes.facts}>
        {plural(report.parts, 'part')}, {plural(proof.found, 'file')} of {count(proof.expected)} found,{' '}
        {bytes(report.bytes)}, {report.files.filter((file) => !file.kept).length} written in {report.seconds.toFixed(1)}{' '}
        s
      </p>
      <Button component="a" download href={`/api/hand-overs/${handOver.id}/package`} variant="default">
        Download ZIP of no. {handOver.number}
        {handOver.package_bytes ? `, ${bytes(handOver.package_bytes)}` : ''}
      </Button>{' '}
      <Button variant="default" onClick={onGive}>
        Link for a recipient
      </Button>
    </section>
  );
}

/** What a proof of the changes has compared, in a sentence. */
function comparedNow(proof: Proof): string {
  const compared = proof.comparisons[0]?.compared ?? proof.pixels;
  return compared > 0
    ? `Compared where parts changed: ${count(compared)} pixels. The rest is unchanged since the last full check.`
    : 'The picture is unchanged since the last check.';
}

function Faults({ proof }: { proof: Proof }) {
  const lists: [string, readonly string[]][] = [
    ['Missing', proof.missing],
    ['Unexpected', proof.extra],
    ['Unreadable', proof.unreadable],
    ['Wrong letter case', proof.wrong_case],
    ['Empty', proof.empty],
    ['Contradictions', proof.faults],
  ];
  return (
    <ul>
      {proof.worst && (
        <li>
          The largest difference is {proof.max_difference} of 255 at {proof.worst.x}, {proof.worst.y} px
          {proof.worst.part && `, most likely of ${proof.worst.part}`}.
        </li>
      )}
      {lists.map(([name, found]) => found.length > 0 && <li key={name}>{`${name}: ${found.join('; ')}`}</li>)}
    </ul>
  );
}
