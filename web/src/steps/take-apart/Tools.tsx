import { Button, Checkbox, NativeSelect, Progress } from '@mantine/core';
import classes from '../../ui/form.module.css';
import { Dial } from './Dial';
import type { Numbers, Tool } from './gestures';
import type { Taking } from './useTaking';

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
    label: 'Click',
    tools: [
      { value: 'clicked', label: 'Part', key: 'C', told: 'Click on a part, type its name, click on the next.' },
      { value: 'proposed', label: 'Proposals', key: 'P', told: 'Click on a proposed part.' },
      { value: 'same-colour', label: 'Same colour', key: 'S', told: 'Click on a colour.' },
      { value: 'inside-lines', label: 'Inside lines', key: 'L', told: 'Click inside closed lines.' },
      { value: 'island', label: 'Island', key: 'I', told: 'Click on an island.' },
    ],
  },
  {
    label: 'Outline',
    tools: [
      { value: 'draw-round', label: 'Draw round', key: 'D', told: 'Press and draw around the part.' },
      {
        value: 'point-to-point',
        label: 'Point to point',
        key: 'T',
        told: 'Click corner after corner; close with the first one or Enter.',
      },
      { value: 'rectangle', label: 'Rectangle', key: 'R', told: 'Drag from one corner to the opposite one.' },
      { value: 'ellipse', label: 'Ellipse', key: 'E', told: 'Drag from one corner of its box to the opposite one.' },
    ],
  },
  {
    label: 'Brush',
    tools: [
      { value: 'brush', label: 'Brush', key: 'B', told: 'Paint over the part.' },
      {
        value: 'scribble',
        label: 'Scribble',
        key: 'M',
        told: 'Draw over the part; with Alt, over what lies beside it.',
      },
      { value: 'pick', label: 'Switch part', key: 'W', told: 'Click on the part to take art from.' },
    ],
  },
];

/** What selects: by click, by outline or by brush, a key each. */
export function Tools({ taking }: Pick<Props, 'taking'>) {
  const { tool, setTool } = taking;
  const told = GROUPS.flatMap(({ tools }) => tools).find(({ value }) => value === tool)?.told;
  return (
    <>
      <div role="radiogroup" aria-label="Tool" className={classes.groups}>
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
                  title={`${name} (Shift ${key})`}
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
        {tool !== 'pick' && tool !== 'scribble' && ' Shift adds, Alt subtracts.'}
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
        Smaller region (↓)
      </Button>
      <Button size="compact-sm" variant="default" disabled={!isClicked} onClick={() => taking.step(1)}>
        Larger region (↑)
      </Button>
    </div>
  );
}

const LINES = [
  { value: 'part', label: 'This part' },
  { value: 'shared', label: 'Shared with neighbours' },
  { value: 'apart', label: 'Stays behind' },
];

/** Proposals from coarse to fine: one number says how many. */
function Proposed({ taking, canEdit }: Pick<Props, 'taking' | 'canEdit'>) {
  const { proposals, numbers } = taking;
  if (!proposals) {
    return taking.from && taking.isComputing ? (
      <div className={classes.row}>
        <p>Looking for parts … Large pictures take some seconds.</p>
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
          label="Detail"
          least={1}
          most={most}
          value={regions}
          onChange={(wanted) => taking.changeNumbers({ regions: wanted })}
        />
      </div>
      <Button size="compact-sm" variant="default" disabled={!canEdit} onClick={taking.takeProposed}>
        Take out all but the background
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
          label="Colour tolerance"
          least={0}
          most={60}
          value={numbers.distance}
          onChange={(distance) => onChange({ distance })}
        />
        <Checkbox
          size="xs"
          label="Connected only"
          checked={numbers.connected}
          onChange={(event) => onChange({ connected: event.currentTarget.checked })}
        />
      </>
    );
  }
  if (tool === 'inside-lines') {
    return (
      <>
        <Dial label="Close gaps, px" least={0} most={60} value={numbers.gap} onChange={(gap) => onChange({ gap })} />
        <Dial
          label="Line darkness"
          least={5}
          most={90}
          value={numbers.darkness}
          onChange={(darkness) => onChange({ darkness })}
        />
        <NativeSelect
          size="xs"
          label="Outline goes to"
          data={LINES}
          value={numbers.line}
          onChange={(event) => onChange({ line: event.currentTarget.value as Numbers['line'] })}
        />
      </>
    );
  }
  if (tool === 'island') {
    return (
      <Dial label="Bridge gaps, px" least={0} most={60} value={numbers.gap} onChange={(gap) => onChange({ gap })} />
    );
  }
  if (tool === 'scribble' || tool === 'brush') {
    return <Dial label="Size, px" least={1} most={200} value={numbers.size} onChange={(size) => onChange({ size })} />;
  }
  return null;
}
