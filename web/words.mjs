/**
 * Holds the texts of the interface, or of files that are named, to the rules of how Yuplet speaks: case, units, quotes, pronouns and words that
 * were given up; and to their place, the words.ts of each folder.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { basename, dirname, join, relative } from 'node:path';
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

const parsed = (file) =>
  ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true, file.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS);
const isLiteral = (node) => ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node);
const lineOf = (node) => node.getSourceFile().getLineAndCharacterOfPosition(node.getStart()).line + 1;

/** A text with its gaps, or null for a node that is none. */
function textOf(node) {
  if (isLiteral(node) || ts.isJsxText(node)) return node.text.replace(/\s+/g, ' ').trim();
  if (!ts.isTemplateExpression(node)) return null;
  return node.head.text + node.templateSpans.map((span) => `\${${span.expression.getText()}}${span.literal.text}`).join('');
}

/** Each node, from the outermost; not those of imports and types, which hold names alone. */
function* all(node) {
  if (ts.isImportDeclaration(node) || ts.isTypeNode(node)) return;
  yield node;
  const below = [];
  ts.forEachChild(node, (child) => void below.push(child));
  for (const child of below) yield* all(child);
}

/** What an attribute or a field that is a label shows, one for each branch of a condition. */
function* labels(file) {
  const branches = (node) =>
    ts.isConditionalExpression(node)
      ? [...branches(node.whenTrue), ...branches(node.whenFalse)]
      : ts.isJsxExpression(node) && node.expression
        ? branches(node.expression)
        : [node];
  for (const node of all(file)) {
    const isLabel = (ts.isJsxAttribute(node) || ts.isPropertyAssignment(node)) && LABELS.has(node.name.getText());
    if (isLabel && node.initializer) yield* branches(node.initializer);
  }
}

/** Whether somebody would read it: a sentence, or words one of which is written large or followed by a number or a stop. */
function isRead(node) {
  const text = textOf(node).replace(/\$\{[^}]*\}/g, '0');
  if (/^[A-Z].*[a-z][.?!]$/.test(text)) return true;
  if (/^[a-z-]+( 0)+$/.test(text)) return false;
  return /[A-Za-z]{2,}[,.:;]? [A-Za-z(0]/.test(text) && (/[A-Z.,:;?!]/.test(text) || ts.isTemplateExpression(node));
}
/** What is no text though it has spaces: fonts, grids, faults that only the console tells. */
const isNone = (node) => {
  const parent = node.parent;
  if (ts.isJsxAttribute(parent) && /^(className|aria-keyshortcuts|data-.*)$/.test(parent.name.getText())) return true;
  const isSelector = ts.isCallExpression(parent) && /\.(closest|matches)$/.test(parent.expression.getText());
  return isSelector || ts.isNewExpression(parent) || /sans-serif|minmax\(|translate\(/.test(node.getText());
};

/** Texts that stand beside the code that shows them, where nobody would look for them. */
function* strays(file) {
  for (const node of all(file)) {
    const text = textOf(node);
    if (text === null || !/[A-Za-z]{2}/.test(text)) continue;
    if (ts.isJsxText(node) || (isRead(node) && !isNone(node))) yield node;
  }
  for (const node of labels(file)) if (/^[A-Z][a-z]/.test(textOf(node) ?? '')) yield node;
}

const isWords = (file) => basename(file) === 'words.ts';
const given = process.argv.slice(2);
const files = (given.length > 0 ? given : readdirSync(ROOT, { recursive: true }).map((name) => join(ROOT, name)))
  .filter((name) => /\.tsx?$/.test(name) && !name.endsWith('schema.d.ts'))
  .map(parsed);
const found = [];
const told = (node, fault) => {
  const { fileName } = node.getSourceFile();
  found.push(`${relative(process.cwd(), fileName)}:${lineOf(node)}: '${textOf(node)}': ${fault}`);
};
/** Words that are labels somewhere: folder, group, key. */
const shownAlone = new Set();
for (const file of files.filter(({ fileName }) => !isWords(fileName))) {
  for (const node of new Set(strays(file))) told(node, 'the texts of a folder stand in its words.ts');
  const group = /import \{ (\w+) as words \} from '\.\/words'/.exec(file.text)?.[1];
  for (const node of labels(file)) {
    const key = ts.isCallExpression(node) ? node.expression : node;
    if (ts.isPropertyAccessExpression(key) && key.expression.getText() === 'words')
      shownAlone.add(`${dirname(file.fileName)} ${group} ${key.name.text}`);
  }
}
for (const file of files.filter(({ fileName }) => isWords(fileName))) {
  const group = (node) => (ts.isVariableDeclaration(node) ? node.name.text : group(node.parent));
  for (const node of all(file)) {
    if (!ts.isPropertyAssignment(node) || !ts.isObjectLiteralExpression(node.parent)) continue;
    const isLabel = shownAlone.has(`${dirname(file.fileName)} ${group(node)} ${node.name.text}`);
    for (const part of all(node.initializer)) {
      const text = textOf(part);
      if (text === null || !/[A-Za-z]{2}/.test(text)) continue;
      for (const fault of faults(text, isLabel && part === node.initializer)) told(part, fault);
    }
  }
}
for (const line of found) console.error(line);
if (found.length > 0) process.exit(1);
