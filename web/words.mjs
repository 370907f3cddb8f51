/** Holds the texts of the interface, or of files that are named, to the rules of how Yuplet speaks: case, units, quotes, pronouns and words that were given up. */
import { readdirSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import ts from 'typescript';

const ROOT = join(import.meta.dirname, 'src');
/** Attributes and fields that are labels, alone on the screen or read out alone. */
const LABELS = new Set(['label', 'title', 'placeholder', 'aria-label', 'thumbLabel']);
/** Names that are written with capitals wherever they stand. */
const NAMES =
  /\b(Yuplet|Put in order|Take apart|Try out|Hand over|Bring in|PNG|WebP|GIF|JPEG|SVG|HTML|CSS|JSON|ZIP|PDF|WebM|VP9|OpenRaster|OpenEXR|glTF|SPDX|CSV|URL|YUPLET_\w+|CREDITS\.txt|Shift|Alt|Ctrl|Control|Enter|Escape|Write keys|I|No|N|F|Z|C|K|B|V|L|H|G|P|A|Underlap|Findings|Sets|Depth)\b/g;
/** Words of earlier versions, and what stands for them now. */
const GIVEN_UP = [
  [/\b(carries \d|is carried|who carries)\b/i, 'parent, child'],
  [/\blaid\b/i, 'blended'],
  [/\bno longer wanted\b/i, 'obsolete'],
  [/\b(un)?proved\b/i, 'verified'],
  [/\btrue pixels\b/i, '100 %'],
  [/\bput (it )?aside\b/i, 'discard'],
  [/\b(any more|anew)\b/i, 'no longer, again'],
  [/\bnothing is chosen\b|\bwhat is chosen\b/i, 'selection'],
  [/\breceivers?\b/i, 'target program, recipient'],
  [/\bmend\b/i, 'fix'],
];

/** What is wrong with a text; it stands alone where it is a label. */
function faults(text, isLabel) {
  const found = [];
  const plain = text.replace(/\$\{[^}]*\}/g, '0');
  if (/[“”„]/.test(plain)) found.push('names stand in single quotes');
  if (/(\d)(px|%|ms|ppi)(?![\w-])/.test(plain)) found.push('a space before a unit');
  if (/\(s\)/.test(plain)) found.push('plural() makes plurals');
  if (/\.toFixed\([2-9]\)\} px/.test(text)) found.push('px to one decimal at most');
  for (const [word, better] of GIVEN_UP) if (word.test(plain)) found.push(`say: ${better}`);
  if (!isLabel) return found;
  if (/^[a-z]/.test(plain) && !/^(x|y|px|s|or)\b/.test(plain)) found.push('a label begins with a capital');
  const words = plain.split(/\s+/).length;
  if (words <= 4 && /^(it|its|they|them|that|there)\b/i.test(plain)) found.push('a label names its thing');
  if (words <= 4 && /\b(it|its|them|there)$/i.test(plain)) found.push('a label names its thing');
  const later = plain.replace(NAMES, '').replace(/[.?!:,;·]\s+\S+/g, '').split(/\s+/).slice(1);
  if (later.some((word) => /^[A-Z][a-z]+$/.test(word))) found.push('sentence case');
  return found;
}

function* texts(file) {
  const kind = file.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS;
  const source = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true, kind);
  const told = (node, text, isLabel) => ({
    line: source.getLineAndCharacterOfPosition(node.getStart()).line + 1,
    text: text.replace(/\s+/g, ' ').trim(),
    isLabel,
  });
  const found = [];
  const value = (node, isLabel) => {
    if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) found.push(told(node, node.text, isLabel));
    else if (ts.isTemplateExpression(node)) {
      const spans = node.templateSpans.map((span) => `\${${span.expression.getText()}}${span.literal.text}`);
      found.push(told(node, node.head.text + spans.join(''), isLabel));
    } else if (ts.isConditionalExpression(node)) {
      value(node.whenTrue, isLabel);
      value(node.whenFalse, isLabel);
    } else if (ts.isJsxExpression(node) && node.expression) value(node.expression, isLabel);
  };
  const visit = (node) => {
    if (ts.isJsxText(node)) found.push(told(node, node.text, false));
    else if (ts.isJsxAttribute(node) && LABELS.has(node.name.getText()) && node.initializer) value(node.initializer, true);
    else if (ts.isPropertyAssignment(node) && LABELS.has(node.name.getText())) value(node.initializer, true);
    else if (ts.isJsxExpression(node) && !ts.isJsxAttribute(node.parent)) value(node, false);
    ts.forEachChild(node, visit);
  };
  visit(source);
  yield* found.filter(({ text }) => /[A-Za-z]{2}/.test(text));
}

const given = process.argv.slice(2);
const files = readdirSync(ROOT, { recursive: true })
  .filter((name) => /\.tsx?$/.test(name) && !name.endsWith('schema.d.ts'))
  .map((name) => join(ROOT, name));
let count = 0;
for (const file of given.length > 0 ? given : files) {
  for (const { line, text, isLabel } of texts(file)) {
    for (const fault of faults(text, isLabel)) {
      console.error(`${relative(process.cwd(), file)}:${line}: '${text}': ${fault}`);
      count += 1;
    }
  }
}
if (count > 0) process.exit(1);
