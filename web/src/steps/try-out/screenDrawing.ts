/** Draws a package on a screen of another size: parts where the server says, stretched between their margins where they have some. */
import type { OnScreen } from '../../api/rehearsals';
import type { Affine } from '../../rules/joints';
import type { Figure } from './figure';
import { drawParts, type Moment, type PartPictures, type Stretched } from './movingDrawing';

export function drawScreen(
  element: HTMLCanvasElement,
  figure: Figure,
  pictures: PartPictures,
  screen: OnScreen,
  members: readonly number[],
): void {
  const context = element.getContext('2d');
  if (!context) return;
  context.clearRect(0, 0, element.width, element.height);
  const maps: Affine[] = [];
  const stretched = new Map<number, Stretched>();
  figure.parts.forEach((part, at) => {
    const place = screen.places[at];
    if (!place) return;
    const grown = place.width / Math.max(1, part.width);
    const [left = 0, top = 0, right = 0, bottom = 0] = place.margins ?? [];
    if (place.margins) {
      stretched.set(at, { width: place.width, height: place.height, margins: [left, top, right, bottom], grown });
    }
    maps.push([grown, 0, 0, grown, place.left - part.left * grown, place.top - part.top * grown]);
  });
  const moment: Moment = {
    maps,
    bare: maps,
    cameras: null,
    opacity: figure.parts.map(() => 1),
    members,
    ground: null,
    time: 0,
    stretched,
    grown: screen.width / figure.size.width,
  };
  drawParts(context, figure, pictures, { zoom: element.width / screen.width, x: 0, y: 0 }, moment);
}

/** Whether a part is seen with these members of sets. */
export function isSeenIn(figure: Figure, members: readonly number[], part: number): boolean {
  const own = figure.memberOf.parts[part];
  let isSeen = own ? members[own.set] === own.member : (figure.parts[part]?.is_on ?? false);
  for (let at = figure.parts[part]?.group ?? null; at !== null; at = figure.groups[at]?.group ?? null) {
    const member = figure.memberOf.groups[at];
    isSeen &&= member ? members[member.set] === member.member : (figure.groups[at]?.is_on ?? false);
  }
  return isSeen;
}
