import { Button, Checkbox, NativeSelect, NumberInput, Progress, SegmentedControl, TextInput } from '@mantine/core';
import { ColourField } from '../../ui/ColourField';
import classes from '../../ui/form.module.css';
import { plural } from '../../ui/units';
import { Dial } from './Dial';
import type { How, Numbers, Tool } from './gestures';
import { countOf, FIRST_PIECES } from './pieces';
import type { Behind } from './useBehind';
import type { Taking } from './useTaking';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

const TOOLS: readonly { value: Tool; label: string; told: string }[] = [
  { value: 'proposed', label: 'Proposals', told: 'Point at a part that is proposed, and click on it.' },
  { value: 'clicked', label: 'By clicks', told: 'Click on a part.' },
  { value: 'same-colour', label: 'Same colour', told: 'Click on a colour.' },
  { value: 'inside-lines', label: 'Inside the lines', told: 'Click on a place that lines go round.' },
  {
    value: 'scribble',
    label: 'Scribble',
    told: 'Draw over what you mean, and with Alt over what is beside it.',
  },
  { value: 'island', label: 'One piece', told: 'Click on a piece that nothing touches.' },
  { value: 'draw-round', label: 'Draw round', told: 'Press and draw around what you mean.' },
  {
    value: 'point-to-point',
    label: 'Point to point',
    told: 'Click corner after corner; click on the first again, or press Enter, to close.',
  },
  { value: 'rectangle', label: 'Rectangle', told: 'Press in one corner and draw to the opposite one.' },
  {
    value: 'ellipse',
    label: 'Ellipse',
    told: 'Press in one corner of the box around it and draw to the opposite one.',
  },
  { value: 'brush', label: 'Brush', told: 'Paint over what you mean.' },
  { value: 'pick', label: 'Choose a part', told: 'Click on the part that the art is in.' },
];
const HOWS = [
  { value: 'instead', label: 'Begin anew' },
  { value: 'add', label: 'Add' },
  { value: 'subtract', label: 'Take away' },
  { value: 'intersect', label: 'Only where both' },
];
const LINES = [
  { value: 'part', label: 'goes to the part' },
  { value: 'shared', label: 'is shared with the neighbours' },
  { value: 'apart', label: 'stays where it is' },
];
const BEHINDS = [
  { value: 'flat', label: 'the nearest colours, for flat art' },
  { value: 'painted', label: 'colours that run on, for painted art' },
  { value: 'colour', label: 'one colour' },
  { value: 'empty', label: 'nothing: the place is empty' },
];

/** A part is taken out of another: what belongs to it, its edge, and what lies behind. */
export function TakeOut({ taking, canEdit }: Props) {
  return (
    <>
      <div className={classes.form}>
        <Tools taking={taking} />
        <ToolSettings taking={taking} canEdit={canEdit} />
        {taking.tool !== 'pick' && (
          <SegmentedControl
            size="xs"
            fullWidth
            aria-label="How it changes what is chosen"
            data={HOWS}
            value={taking.how}
            onChange={(how) => taking.setHow(how as How)}
          />
        )}
        <EdgeAndBehind taking={taking} />
        <ChosenState taking={taking} />
        <Taken taking={taking} canEdit={canEdit} />
      </div>
      <Separate taking={taking} canEdit={canEdit} />
    </>
  );
}

function ToolSettings({ taking, canEdit }: Props) {
  if (taking.tool === 'proposed') return <Proposed taking={taking} canEdit={canEdit} />;
  if (taking.tool === 'clicked') return <Steps taking={taking} />;
  return <ToolNumbers tool={taking.tool} numbers={taking.numbers} onChange={taking.changeNumbers} />;
}

/** What the last click took may have been too little, or too much. */
function Steps({ taking }: Pick<Props, 'taking'>) {
  const isClicked = taking.gestures.at(-1)?.tool === 'clicked';
  return (
    <div className={classes.row}>
      <Button size="compact-sm" variant="default" disabled={!isClicked} onClick={() => taking.step(-1)}>
        Smaller piece
      </Button>
      <Button size="compact-sm" variant="default" disabled={!isClicked} onClick={() => taking.step(1)}>
        Larger piece
      </Button>
    </div>
  );
}

function Tools({ taking }: Pick<Props, 'taking'>) {
  const { tool, setTool } = taking;
  return (
    <>
      <div className={classes.tools} role="radiogroup" aria-label="What chooses">
        {TOOLS.map(({ value, label }) => (
          <Button
            key={value}
            size="compact-sm"
            role="radio"
            aria-checked={tool === value}
            variant={tool === value ? 'filled' : 'default'}
            onClick={() => setTool(value)}
          >
            {label}
          </Button>
        ))}
      </div>
      <p className={classes.told}>
        {TOOLS.find(({ value }) => value === tool)?.told}
        {tool !== 'pick' && tool !== 'scribble' && ' With Shift it is added, with Alt taken away.'}
      </p>
    </>
  );
}

const EDGES = [
  ['grow', 'Grow'],
  ['smooth', 'Smooth'],
  ['soft', 'Soft edge'],
] as const;

function EdgeAndBehind({ taking }: Pick<Props, 'taking'>) {
  return (
    <>
      <div className={classes.row}>
        {EDGES.map(([key, label]) => (
          <NumberInput
            key={key}
            size="xs"
            label={label}
            suffix=" px"
            min={key === 'grow' ? -100 : 0}
            max={100}
            value={taking.edge[key]}
            onChange={(value) => taking.setEdge({ ...taking.edge, [key]: Number(value) || 0 })}
          />
        ))}
      </div>
      <div className={classes.row}>
        <NativeSelect
          size="xs"
          label="Behind it comes"
          data={BEHINDS}
          value={taking.behind}
          onChange={(event) => taking.setBehind(event.currentTarget.value as Behind)}
        />
        {taking.behind === 'colour' && <ColourField label="Colour" value={taking.colour} onChange={taking.setColour} />}
      </div>
    </>
  );
}

/** In words, how much is chosen. */
function ChosenState({ taking }: Pick<Props, 'taking'>) {
  const { from, chosen, pieces } = taking;
  return (
    <p role="status" className={classes.state} aria-busy={taking.isComputing}>
      {taking.isChoosing && 'Being computed; choose nothing, or something else, to stop it. '}
      {chosen && !pieces
        ? `${chosen.pixels.toLocaleString('en')} px chosen, ${share(chosen.pixels, chosen.of)} of ${from?.name ?? 'the part'}.`
        : !pieces && 'Nothing is chosen yet.'}
      {chosen && from && from.frames.length > 1 && ` It is chosen in each of its ${from.frames.length} frames.`}
    </p>
  );
}

/** What is chosen becomes a part. */
function Taken({ taking, canEdit }: Props) {
  const { chosen, gestures, takeOut } = taking;
  return (
    <>
      <form
        className={classes.row}
        onSubmit={(event) => {
          event.preventDefault();
          takeOut(false);
        }}
      >
        <TextInput
          size="xs"
          label="Its name"
          placeholder="part"
          maxLength={200}
          value={taking.name}
          onChange={(event) => taking.setName(event.currentTarget.value)}
        />
        <Button type="submit" size="xs" disabled={!canEdit || !chosen}>
          Take it out
        </Button>
        <Button size="xs" variant="default" disabled={!canEdit || !chosen} onClick={() => takeOut(true)}>
          Copy it out
        </Button>
      </form>
      <div className={classes.row}>
        <Button size="compact-sm" variant="subtle" disabled={gestures.length === 0} onClick={taking.dropLast}>
          Drop the last choice
        </Button>
        <Button size="compact-sm" variant="subtle" disabled={gestures.length === 0} onClick={taking.clear}>
          Choose nothing
        </Button>
      </div>
    </>
  );
}

/** All separate pieces of a part become parts at once. */
function Separate({ taking, canEdit }: Props) {
  const { from, pieces, setPieces, clear } = taking;
  const change = (changed: Partial<typeof FIRST_PIECES>) => {
    const { gap, smallest } = pieces ?? FIRST_PIECES;
    if (pieces) setPieces({ ...FIRST_PIECES, gap, smallest, ...changed });
  };
  return (
    <div className={classes.form}>
      <h3>All separate pieces at once</h3>
      <p className={classes.told}>Each piece of art that nothing touches becomes a part of its own.</p>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label="Apart by more than"
          suffix=" px"
          min={0}
          max={200}
          value={pieces?.gap ?? FIRST_PIECES.gap}
          disabled={!pieces}
          onChange={(gap) => change({ gap: Number(gap) || 0 })}
        />
        <NumberInput
          size="xs"
          label="At least"
          suffix=" px"
          min={1}
          value={pieces?.smallest ?? FIRST_PIECES.smallest}
          disabled={!pieces}
          onChange={(least) => change({ smallest: Number(least) || 1 })}
        />
        <Button
          size="xs"
          variant="default"
          disabled={!from}
          onClick={() => {
            clear();
            if (!pieces) setPieces(FIRST_PIECES);
          }}
        >
          {pieces ? 'Leave it' : 'Show the pieces'}
        </Button>
      </div>
      <SeparateFound taking={taking} canEdit={canEdit} />
    </div>
  );
}

function SeparateFound({ taking, canEdit }: Props) {
  const { pieces, setPieces, islands } = taking;
  if (!islands || !pieces) return null;
  const parts = countOf(pieces, islands.pieces.length);
  return (
    <>
      <p>
        {plural(islands.pieces.length, 'piece')}
        {islands.crumbs > 0 && `; ${plural(islands.crumbs, 'tiny one')} belong to the nearest`}.
      </p>
      <p className={classes.told}>
        Click on a piece to leave it where it is; click on several with Shift to make one part of them.
      </p>
      <div className={classes.row}>
        <Button
          size="xs"
          disabled={!canEdit || islands.pieces.length < 2 || parts === 0}
          onClick={taking.takePieces}
        >{`Make ${plural(parts, 'part')}`}</Button>
        {pieces.joined.some((group) => group.length > 1) && (
          <Button
            size="compact-sm"
            variant="subtle"
            onClick={() => setPieces({ ...pieces, joined: [...pieces.joined, []] })}
          >
            Join others
          </Button>
        )}
      </div>
    </>
  );
}

/** Proposals from coarse to fine: one number says how many. */
function Proposed({ taking, canEdit }: Pick<Props, 'taking' | 'canEdit'>) {
  const { proposals, numbers } = taking;
  if (!proposals) {
    return taking.from && taking.isComputing ? (
      <div className={classes.row}>
        <p>Looking for parts. With a large picture this takes some seconds.</p>
        <Progress value={100} striped animated size="sm" aria-label="Looking for parts" className={classes.wide} />
        <Button size="compact-sm" variant="default" onClick={() => taking.setTool('same-colour')}>
          Stop looking
        </Button>
      </div>
    ) : null;
  }
  const most = Math.max(proposals.count, 2);
  const regions = Math.min(numbers.regions, most);
  return (
    <div className={classes.row}>
      <div className={classes.wide}>
        <Dial
          label="Pieces, coarse to fine"
          least={1}
          most={most}
          value={regions}
          onChange={(wanted) => taking.changeNumbers({ regions: wanted })}
        />
      </div>
      <Button size="compact-sm" variant="default" disabled={!canEdit} onClick={taking.takeProposed}>
        Make a part of each but the ground
      </Button>
    </div>
  );
}

interface NumbersProps {
  tool: Tool;
  numbers: Numbers;
  onChange: (change: Partial<Numbers>) => void;
}

function ToolNumbers({ tool, numbers, onChange }: NumbersProps) {
  if (tool === 'same-colour') {
    return (
      <>
        <Dial
          label="Colour differs by up to"
          least={0}
          most={60}
          value={numbers.distance}
          onChange={(distance) => onChange({ distance })}
        />
        <Checkbox
          size="xs"
          label="Only what is connected"
          checked={numbers.connected}
          onChange={(event) => onChange({ connected: event.currentTarget.checked })}
        />
      </>
    );
  }
  if (tool === 'inside-lines') {
    return (
      <>
        <Dial label="Gaps closed, px" least={0} most={60} value={numbers.gap} onChange={(gap) => onChange({ gap })} />
        <Dial
          label="Lines darker than"
          least={5}
          most={90}
          value={numbers.darkness}
          onChange={(darkness) => onChange({ darkness })}
        />
        <NativeSelect
          size="xs"
          label="The line around it"
          data={LINES}
          value={numbers.line}
          onChange={(event) => onChange({ line: event.currentTarget.value as Numbers['line'] })}
        />
      </>
    );
  }
  if (tool === 'island') {
    return (
      <Dial label="Gaps bridged, px" least={0} most={60} value={numbers.gap} onChange={(gap) => onChange({ gap })} />
    );
  }
  if (tool === 'scribble' || tool === 'brush') {
    return <Dial label="Size, px" least={1} most={200} value={numbers.size} onChange={(size) => onChange({ size })} />;
  }
  return null;
}

const share = (pixels: number, of: number) => {
  const percent = (pixels / Math.max(of, 1)) * 100;
  return percent < 1 ? 'less than 1 %' : `${Math.round(percent)} %`;
};
