/**
 * A reader of packages for a canvas, to learn from and to copy: it draws the picture as manifest.md says. MIT.
 *
 *   const manifest = await (await fetch('package/manifest.json')).json();
 *   draw(manifest, await images(manifest, 'package'), canvas.getContext('2d'));
 *
 * A canvas rounds to 8 bits after every part, so the picture differs from the reference by a few levels where much lies over each other. Moments of
 * animated images need a decoder of their own; what is seen at rest is drawn without one, as each of them begins with it.
 */

interface Place {
  x: number;
  y: number;
  width: number;
  height: number;
}

interface Part {
  id: string;
  file: string;
  within?: (Place & { turned: boolean }) | null;
  box: Place;
  turn: { mirrored: boolean; quarters: number };
  opacity: number;
  blend: string;
}

type Entry =
  | { part: string; shown: boolean }
  | { group: string; shown: boolean; opacity: number; blend: string; isolated: boolean; members: Entry[] };

export interface Manifest {
  canvas: { width: number; height: number };
  smooth: boolean;
  reference: { file: string; ground: number[] | null };
  parts: Part[];
  tree: Entry[];
}

/** Every image that is needed once, by its file. Names may hold spaces, # and ?, so each is encoded. */
export async function images(manifest: Manifest, folder: string): Promise<Map<string, ImageBitmap>> {
  const files = [...new Set(manifest.parts.map((part) => part.file))];
  return new Map(
    await Promise.all(
      files.map(async (file): Promise<[string, ImageBitmap]> => {
        const answer = await fetch(`${folder}/${file.split('/').map(encodeURIComponent).join('/')}`);
        if (!answer.ok) throw new Error(`${file} is not there: ${answer.status}`);
        // The pixels as they are: alpha is straight in the file, and colours are sRGB already.
        return [file, await createImageBitmap(await answer.blob(), { colorSpaceConversion: 'none' })];
      }),
    ),
  );
}

/** Draw everything that is shown at rest, over the ground of the reference picture where it has one. */
export function draw(
  manifest: Manifest,
  images: ReadonlyMap<string, ImageBitmap>,
  onto: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
): void {
  const { width, height } = manifest.canvas;
  const parts = new Map(manifest.parts.map((part) => [part.id, part]));
  const empty = () => {
    const context = new OffscreenCanvas(width, height).getContext('2d');
    if (!context) throw new Error('There is no memory for a canvas of this size.');
    return context;
  };

  const layAll = (entries: readonly Entry[], under: OffscreenCanvasRenderingContext2D) => {
    for (const entry of entries) {
      if (!entry.shown) continue;
      if ('part' in entry) {
        const part = parts.get(entry.part);
        const image = part && images.get(part.file);
        if (!part || !image) throw new Error(`${entry.part} is not in the manifest, or its image is missing.`);
        lay(part, image, under);
      } else if (entry.isolated || entry.opacity < 1 || entry.blend !== 'normal') {
        const members = empty();
        layAll(entry.members, members);
        under.globalAlpha = entry.opacity;
        under.globalCompositeOperation = operation(entry.blend);
        under.drawImage(members.canvas, 0, 0);
      } else {
        layAll(entry.members, under);
      }
    }
  };

  const picture = empty();
  layAll(manifest.tree, picture);
  const { ground } = manifest.reference;
  if (ground) {
    onto.fillStyle = `rgb(${ground.join(' ')})`;
    onto.fillRect(0, 0, width, height);
  }
  onto.drawImage(picture.canvas, 0, 0);
}

function lay(part: Part, image: ImageBitmap, onto: OffscreenCanvasRenderingContext2D): void {
  const { box, turn, within } = part;
  const sideways = turn.quarters % 2 === 1;
  // As large as the image is before it is turned for this part.
  const width = sideways ? box.height : box.width;
  const height = sideways ? box.width : box.height;
  onto.save();
  onto.globalAlpha = part.opacity;
  onto.globalCompositeOperation = operation(part.blend);
  onto.imageSmoothingEnabled = false;
  // About the middle of the box: mirrored first, then turned clockwise. The transform that is said last is the first to be done.
  onto.translate(box.x + box.width / 2, box.y + box.height / 2);
  onto.rotate((turn.quarters * Math.PI) / 2);
  if (turn.mirrored) onto.scale(-1, 1);
  if (!within) {
    onto.drawImage(image, -width / 2, -height / 2);
  } else if (within.turned) {
    // On the sheet it lies turned clockwise, so it covers height x width pixels there: back by a quarter.
    onto.rotate(-Math.PI / 2);
    onto.drawImage(image, within.x, within.y, height, width, -height / 2, -width / 2, height, width);
  } else {
    onto.drawImage(image, within.x, within.y, width, height, -width / 2, -height / 2, width, height);
  }
  onto.restore();
}

/** The W3C's names are those of a canvas, but for the plainest. */
const operation = (blend: string) => (blend === 'normal' ? 'source-over' : blend) as GlobalCompositeOperation;
