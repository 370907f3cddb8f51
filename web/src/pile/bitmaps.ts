/** The picture of a PNG in Base64, as answers carry small ones. */
export async function bitmapOf(base64: string): Promise<ImageBitmap> {
  const bytes = Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
  return createImageBitmap(new Blob([bytes], { type: 'image/png' }));
}

/** Whether a mask that lies at a box of the canvas covers a pixel of it. */
export function covers(picture: ImageBitmap, box: readonly number[], at: { x: number; y: number }): boolean {
  const [left = 0, top = 0, width = 0, height = 0] = box;
  if (at.x < left || at.y < top || at.x >= left + width || at.y >= top + height) return false;
  const context = new OffscreenCanvas(1, 1).getContext('2d');
  context?.drawImage(picture, left - at.x, top - at.y);
  return (context?.getImageData(0, 0, 1, 1).data[3] ?? 0) > 0;
}
