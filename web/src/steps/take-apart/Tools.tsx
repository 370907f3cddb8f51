import { Button, Checkbox, NativeSelect, Progress } from '@mantine/core';
import classes from '../../ui/form.module.css';
import { Dial } from './Dial';
import type { Numbers, Tool } from './gestures';
import type { Taking } from './useTaking';
import { tools as words } from './words';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

interface OneTool {
  value: Tool;
  label: string;
  key: string;
  told: string;
}

const GROUPS: readonly { label: string; tools: readonly OneTool[] }[] = [
  {
    label: words.click,
    tools: [
      { value: 'clicked', label: words.part, key: 'C', told: words.clickOnAPartType },
      { value: 'proposed', label: words.proposals, key: 'P', told: words.clickOnAProposedPart },
      { value: 'same-colour', label: words.sameColour, key: 'S', told: words.clickOnAColour },
      { value: 'inside-lines', label: words.insideLines, key: 'L', told: words.clickInsideClosedLines },
      { value: 'island', label: words.island, key: 'I', told: words.clickOnAnIsland },
    ],
  },
  {
    label: words.outline,
    tools: [
      { value: 'draw-round', label: words.drawRound, key: 'D', told: words.pressAndDrawAround },
      {
        value: 'point-to-point',
        label: words.pointToPoint,
        key: 'T',
        told: words.clickCornerAfterCornerClose,
      },
      { value: 'rectangle', label: words.rectangle, key: 'R', told: words.dragFromOneCorner },
      { value: 'ellipse', label: words.ellipse, key: 'E', told: words.dragFromOneCornerOf },
    ],
  },
  {
    label: words.brush,
    tools: [
      { value: 'brush', label: words.brush, key: 'B', told: words.paintOverThePart },
      {
        value: 'scribble',
        label: words.scribble,
        key: 'M',
        told: words.drawOverThePart,
      },
      { value: 'pick', label: words.switchPart, key: 'W', told: words.clickOnThePart },
    ],
  },
];

/** What selects: by click, by outline or by brush, a key each. */
export function Tools({ taking }: Pick<Props, 'taking'>) {
  const { tool, setTool } = taking;
  const told = GROUPS.flatMap(({ tools }) => tools).find(({ value }) => value === tool)?.told;
  return (
    <>
      <div role="radiogroup" aria-label={words.tool} className={classes.groups}>
        {GROUPS.map(({ label, tools }) => (
          <div key={label} className={classes.group}>
            <span>{label}</span>
            <div className={classes.tools}>
              {tools.map(({ value, label: name, key }) => (
                <Button
                  key={value}
                  size="compact-xs"
                  role="radio"
                  aria-checked={tool === value}
                  aria-keyshortcuts={`Shift+${key}`}
                  title={words.shift(name, key)}
                  variant={tool === value ? 'filled' : 'default'}
                  onClick={() => setTool(value)}
                >
                  {name}
                </Button>
              ))}
            </div>
          </div>
        ))}
      </div>
      <p className={classes.told}>
        {told}
        {tool !== 'pick' && tool !== 'scribble' && words.shiftAddsAltSubtracts}
      </p>
    </>
  );
}

export function ToolSettings({ taking, canEdit }: Props) {
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
        {words.smallerRegion}
      </Button>
      <Button size="compact-sm" variant="default" disabled={!isClicked} onClick={() => taking.step(1)}>
        {words.largerRegion}
      </Button>
    </div>
  );
}

const LINES = [
  { value: 'part', label: words.thisPart },
  { value: 'shared', label: words.sharedWithNeighbours },
  { value: 'apart', label: words.staysBehind },
];

/** Proposals from coarse to fine: one number says how many. */
function Proposed({ taking, canEdit }: Pick<Props, 'taking' | 'canEdit'>) {
  const { proposals, numbers } = taking;
  if (!proposals) {
    return taking.from && taking.isComputing ? (
      <div className={classes.row}>
        <p>{words.lookingForPartsLargePictures}</p>
        <Progress value={100} striped animated size="sm" aria-label={words.lookingForParts} className={classes.wide} />
        <Button size="compact-sm" variant="default" onClick={() => taking.setTool('same-colour')}>
          {words.stopLooking}
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
          label={words.detail}
          least={1}
          most={most}
          value={regions}
          onChange={(wanted) => taking.changeNumbers({ regions: wanted })}
        />
      </div>
      <Button size="compact-sm" variant="default" disabled={!canEdit} onClick={taking.takeProposed}>
        {words.takeOutAllBut}
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
          label={words.colourTolerance}
          least={0}
          most={60}
          value={numbers.distance}
          onChange={(distance) => onChange({ distance })}
        />
        <Checkbox
          size="xs"
          label={words.connectedOnly}
          checked={numbers.connected}
          onChange={(event) => onChange({ connected: event.currentTarget.checked })}
        />
      </>
    );
  }
  if (tool === 'inside-lines') {
    return (
      <>
        <Dial label={words.closeGapsPx} least={0} most={60} value={numbers.gap} onChange={(gap) => onChange({ gap })} />
        <Dial
          label={words.lineDarkness}
          least={5}
          most={90}
          value={numbers.darkness}
          onChange={(darkness) => onChange({ darkness })}
        />
        <NativeSelect
          size="xs"
          label={words.outlineGoesTo}
          data={LINES}
          value={numbers.line}
          onChange={(event) => onChange({ line: event.currentTarget.value as Numbers['line'] })}
        />
      </>
    );
  }
  if (tool === 'island') {
    return (
      <Dial label={words.bridgeGapsPx} least={0} most={60} value={numbers.gap} onChange={(gap) => onChange({ gap })} />
    );
  }
  if (tool === 'scribble' || tool === 'brush') {
    return (
      <Dial label={words.sizePx} least={1} most={200} value={numbers.size} onChange={(size) => onChange({ size })} />
    );
  }
  return null;
}
