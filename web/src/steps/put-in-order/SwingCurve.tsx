import classes from './PutInOrder.module.css';
import type { Swing } from './useSwing';
import { swingCurve as words } from './words';

interface Props {
  swing: Swing;
  onAt: (degrees: number) => void;
}

const WIDTH = 320;
const HEIGHT = 96;
const LEFT = 34;
const BOTTOM = 22;
const TOP = 8;

const sum = (sides: readonly number[]) => sides.reduce((total, one) => total + one, 0);

/** How many pixels open and jut out over the angle; a click chooses the angle that is drawn on the picture. */
export function SwingCurve({ swing, onAt }: Props) {
  const opened = swing.opened.map(sum);
  const jutting = swing.jutting.map(sum);
  const most = Math.max(10, ...opened, ...jutting);
  const [first = 0] = swing.degrees;
  const last = swing.degrees.at(-1) ?? 1;
  const x = (degrees: number) => LEFT + ((degrees - first) / (last - first || 1)) * (WIDTH - LEFT - 8);
  const y = (pixels: number) => HEIGHT - BOTTOM - (pixels / most) * (HEIGHT - BOTTOM - TOP);
  const path = (values: readonly number[]) =>
    values
      .map((value, at) => `${at ? 'L' : 'M'}${x(swing.degrees[at] ?? 0).toFixed(1)} ${y(value).toFixed(1)}`)
      .join('');
  const nearest = (degrees: number) =>
    swing.degrees.reduce((best, one) => (Math.abs(one - degrees) < Math.abs(best - degrees) ? one : best), first);
  return (
    <svg
      className={classes.curve}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={words.gapAndOverhangInPixels}
      onPointerDown={(event) => {
        const frame = event.currentTarget.getBoundingClientRect();
        const at = ((event.clientX - frame.left) / frame.width) * WIDTH;
        onAt(nearest(first + ((at - LEFT) / (WIDTH - LEFT - 8)) * (last - first)));
      }}
    >
      <title>{words.pixelsOverTheAngle}</title>
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <line x1={LEFT} x2={WIDTH - 8} y1={y(most * share)} y2={y(most * share)} className={classes.gridLine} />
          <text x={LEFT - 5} y={y(most * share) + 4} textAnchor="end">
            {Math.round(most * share)}
          </text>
        </g>
      ))}
      {[first, (first + last) / 2, last].map((degrees) => (
        <text key={degrees} x={x(degrees)} y={HEIGHT - 6} textAnchor="middle">
          {Math.round(degrees)}°
        </text>
      ))}
      <path d={path(opened)} className={classes.opens} />
      <path d={path(jutting)} className={classes.juts} />
      <line x1={x(swing.at)} x2={x(swing.at)} y1={TOP} y2={HEIGHT - BOTTOM} className={classes.angle} />
    </svg>
  );
}
