import { Panel } from '../../ui/Panel';

/** Not built yet: says what it will do, so that nobody looks for it elsewhere. */
export function TryOut() {
  return (
    <Panel title="Try out">
      <p>This step is not built yet. It will move the parts before anybody rigs them:</p>
      <ul>
        <li>swing a part about its pivot and see where a gap opens behind it;</li>
        <li>pull the pile apart in depth and move a camera over it;</li>
        <li>put alternates side by side, an open and a closed eye for example.</li>
      </ul>
      <p>
        What is proved already, with every hand-over: the package, put together again, is the picture to the last pixel.
      </p>
    </Panel>
  );
}
