import { Button, NativeSelect, NumberInput } from '@mantine/core';
import { useRef, useState } from 'react';
import { type Choices, readAgain, useSheet, type WholeIllustration } from '../../api/calls';
import { imageAddress } from '../../api/client';
import classes from './BringIn.module.css';
import { saidOf, VectorSize, type VectorSizes } from './VectorSize';
import { readAgain as words } from './words';

interface Props {
  illustration: WholeIllustration;
  canEdit: boolean;
  onChanged: () => void;
}

type Sheet = NonNullable<Choices['sheet']>;

/** The same file, read in another way: larger, named by something else, cut as a sheet, as parts or as frames. */
export function ReadAgain({ illustration, canEdit, onChanged }: Props) {
  const [problem, setProblem] = useState<string | null>(null);
  const { report, choices } = illustration;
  const counts = report?.counts ?? {};
  const isVector = (counts.vector ?? 0) > 0;
  const isArchive = illustration.file_name.toLowerCase().endsWith('.zip');
  const isFlat = !isVector && !isArchive && (choices.sheet !== undefined || counts.layers === 1) && !counts.groups;
  const ask = async (change: Choices) => {
    setProblem(null);
    try {
      await readAgain(illustration.id, { ...choices, ...change });
      onChanged();
    } catch (caught) {
      setProblem((caught as Error).message);
    }
  };
  const off = !canEdit || illustration.waiting !== null;
  return (
    <div className={classes.form}>
      <p>{words.readsTheOriginalAgain}</p>
      {illustration.waiting && <p>{words.aRevisionIsWaitingAccept}</p>}
      {isVector && <Vector choices={choices} sources={report?.name_sources ?? {}} off={off} ask={ask} />}
      {isFlat && <SheetCut illustration={illustration} off={off} ask={ask} />}
      {isArchive && <Stack choices={choices} off={off} ask={ask} />}
      {!isVector && !isFlat && !isArchive && <p>{words.thisFileTypeHasNo}</p>}
      <p role="alert">{problem}</p>
    </div>
  );
}

interface PartProps {
  off: boolean;
  ask: (change: Choices) => void;
}

function Vector({ choices, sources, off, ask }: PartProps & { choices: Choices; sources: Record<string, string[]> }) {
  const [sizes, setSizes] = useState<VectorSizes>({ longest: choices.longest ?? '', ppi: choices.ppi ?? '' });
  const [names, setNames] = useState(choices.names ?? '');
  // What was chosen before and is empty now is chosen no more.
  const change: Choices = { longest: undefined, ppi: undefined, names: names || undefined, ...saidOf(sizes) };
  return (
    <>
      <h3>{words.vectorArt}</h3>
      <VectorSize sizes={sizes} onChange={setSizes} />
      <NativeSelect
        size="xs"
        label={words.takeNamesFrom}
        data={[
          { value: '', label: words.automatic },
          ...Object.entries(sources).map(([source, examples]) => ({
            value: source,
            label: `${source}: ${examples.join(', ')}`,
          })),
        ]}
        value={names}
        onChange={(event) => setNames(event.currentTarget.value)}
      />
      <Button size="compact-md" disabled={off} onClick={() => ask(change)}>
        {words.readAgain}
      </Button>
    </>
  );
}

function Stack({ choices, off, ask }: PartProps & { choices: Choices }) {
  return (
    <>
      <h3>{words.looseImages}</h3>
      <p>{words.toUseAs}</p>
      <Button
        size="compact-md"
        variant="default"
        disabled={off || choices.stack === 'parts'}
        onClick={() => ask({ stack: 'parts' })}
      >
        {words.partsOfOnePicture}
      </Button>
      <Button
        size="compact-md"
        variant="default"
        disabled={off || choices.stack === 'frames'}
        onClick={() => ask({ stack: 'frames' })}
      >
        {words.framesOfOnePart}
      </Button>
    </>
  );
}

/** A flat picture that is a sheet of frames: the cuts are seen before they are made. */
function SheetCut({ illustration, off, ask }: PartProps & { illustration: WholeIllustration }) {
  const [chosen, setChosen] = useState<Sheet | null>(illustration.choices.sheet ?? null);
  const answer = useSheet(illustration.id, chosen);
  // While a cut cannot be made, what was seen last stays, so that it can be mended.
  const last = useRef(answer.data);
  if (answer.data) last.current = answer.data;
  const data = last.current;
  const sheet = chosen ?? data?.sheet;
  if (!sheet || !data) return answer.error ? <p role="alert">{answer.error.message}</p> : null;
  const [width = 1, height = 1] = sheet.cell;
  const margin = sheet.margin ?? 0;
  const spacing = sheet.spacing ?? 0;
  const set = (change: Partial<Sheet>) => setChosen({ ...sheet, ...change });
  const room = (side: number, cells: number) => Math.floor((side - 2 * margin - spacing * (cells - 1)) / cells);
  const findings = answer.error ? [] : data.findings;
  const number = (label: string, value: number, least: number, onChange: (value: number) => void) => (
    <NumberInput
      size="xs"
      w={100}
      label={label}
      min={least}
      allowDecimal={false}
      value={value}
      onChange={(next) => typeof next === 'number' && next >= least && onChange(next)}
    />
  );
  return (
    <>
      <h3>{words.spriteSheet}</h3>
      <div className={classes.numbers}>
        {number(words.columns, sheet.columns, 1, (columns) =>
          set({ columns, cell: [Math.max(1, room(data.width, columns)), height] }),
        )}
        {number(words.rows, sheet.rows, 1, (rows) =>
          set({ rows, cell: [width, Math.max(1, room(data.height, rows))] }),
        )}
        {number(words.cellWidth, width, 1, (next) => set({ cell: [next, height] }))}
        {number(words.cellHeight, height, 1, (next) => set({ cell: [width, next] }))}
        {number(words.margin, margin, 0, (next) => set({ margin: next }))}
        {number(words.spacing, spacing, 0, (next) => set({ spacing: next }))}
      </div>
      <svg
        className={classes.sheet}
        viewBox={`0 0 ${data.width} ${data.height}`}
        role="img"
        aria-label={words.theSheetWithByCells(sheet.columns, sheet.rows)}
      >
        <image href={imageAddress(illustration.id, data.picture)} width={data.width} height={data.height} />
        {Array.from({ length: Math.min(sheet.columns * sheet.rows, 2000) }, (_, index) => {
          const x = margin + (index % sheet.columns) * (width + spacing);
          const y = margin + Math.floor(index / sheet.columns) * (height + spacing);
          const isBad = findings.some((finding) => finding.cell === index + 1);
          return (
            <rect key={`${x} ${y}`} className={isBad ? classes.badCell : classes.cell} {...{ x, y, width, height }} />
          );
        })}
      </svg>
      <div role="status">
        {answer.error ? (
          <p className={classes.problem}>{answer.error.message}</p>
        ) : findings.length === 0 ? (
          <p>{words.noFrameIsCutOff(sheet.columns * sheet.rows)}</p>
        ) : (
          <ul className={classes.problem}>
            {findings.slice(0, 6).map((finding) => (
              <li key={finding.sentence}>{finding.sentence}</li>
            ))}
            {findings.length > 6 && <li>{words.moreFindingCount(findings.length - 6)}.</li>}
          </ul>
        )}
      </div>
      <Button size="compact-md" disabled={off || answer.error !== null} onClick={() => ask({ sheet })}>
        {words.cutInto(sheet.columns * sheet.rows)}
      </Button>
    </>
  );
}
