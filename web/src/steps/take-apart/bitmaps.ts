/** The picture of a PNG in Base64, as answers carry small ones. */
export async function bitmapOf(base64: string): Promise<ImageBitmap> {
  const bytes = Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
  return createImageBitmap(new Blob([bytes], { type: 'image/png' }));
}
