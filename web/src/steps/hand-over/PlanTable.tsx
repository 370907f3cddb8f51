import type { Plan } from '../../api/calls';
import { bytes } from '../../ui/units';
import classes from './HandOver.module.css';

interface Props {
  plan: Plan;
  /** Bytes of the last package's files: true for a file that stays the same, unknown before the hand-over for another. */
  sizes: ReadonlyMap<string, number>;
}

/** Every file that will be written, with its place; what will be gone stands at the end. */
export function PlanTable({ plan, sizes }: Props) {
  return (
    <>
      <h3>What will be written</h3>
      <table className={classes.plan}>
        <thead>
          <tr>
            <th scope="col">File</th>
            <th scope="col">Place, size (px)</th>
            <th scope="col">Bytes</th>
            <th scope="col">Change</th>
          </tr>
        </thead>
        <tbody>
          {plan.files.toReversed().map(({ file, box: [x, y, width, height], shown, change, places }) => (
            <tr key={file} data-file={file}>
              <td className={classes.file}>
                {file}
                {!shown && <span className={classes.facts}> hidden</span>}
                {places > 1 && <span className={classes.facts}> one image for {places} parts</span>}
              </td>
              <td className={classes.number}>
                {x}, {y}
                <br />
                {width} × {height}
              </td>
              <td className={classes.number}>
                {change === 'same' && sizes.has(file) ? bytes(sizes.get(file) ?? 0) : ''}
              </td>
              <td>{change}</td>
            </tr>
          ))}
          {plan.beside.map((file) => (
            <tr key={file}>
              <td className={classes.file}>{file}</td>
              <td />
              <td />
              <td />
            </tr>
          ))}
          {plan.gone.map((file) => (
            <tr key={file}>
              <td className={classes.file}>{file}</td>
              <td />
              <td />
              <td>gone</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
