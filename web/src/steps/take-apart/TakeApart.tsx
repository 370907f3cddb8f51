import { Panel } from '../../ui/Panel';

/** Not built yet: says what it will do, so that nobody looks for it elsewhere. */
export function TakeApart() {
  return (
    <Panel title="Take apart">
      <p>This step is not built yet. It will take a part out of a flat picture or out of another part:</p>
      <ul>
        <li>choose what belongs to it by colour, inside its lines, or with a few strokes;</li>
        <li>fill what lay behind it, and grow it under its neighbours, so that no gap opens when it moves;</li>
        <li>clean its edge, and look at every change before and after.</li>
      </ul>
      <p>
        Until then, bring in a picture whose parts lie on layers of their own: each layer is a part, ready under “Put in
        order”.
      </p>
    </Panel>
  );
}
