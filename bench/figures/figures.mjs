// Figures of open part sets as SVG, each named part of the set in a group of its own: one JSON a line,
// {"style", "number", "licence", "by", "svg"}. The parts are the sets' own components, whatever these hold.
import { createAvatar } from "@dicebear/core";

const [count, ...styles] = process.argv.slice(2);

for (const name of styles) {
  const library = `./node_modules/@dicebear/${name}/lib`;
  const style = await import(`${library}/index.js`);
  const components = await import(`${library}/components/index.js`);
  for (const [part, kinds] of Object.entries(components)) {
    for (const [kind, drawn] of Object.entries(kinds)) {
      kinds[kind] = (...given) => `<g data-part="${part}">${drawn(...given)}</g>`;
    }
  }
  for (let number = 0; number < Number(count); number += 1) {
    const svg = createAvatar(style, { seed: `figure ${number}` }).toString();
    const { license, creator } = style.meta;
    console.log(JSON.stringify({ style: name, number, licence: license.name, by: creator, svg }));
  }
}
