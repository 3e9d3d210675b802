// Copies what the pages need of the npm packages into web/static, so that the
// binary serves it and the browser fetches nothing from elsewhere. Run by
// `npm run vendor` after a change of package-lock.json; the result is committed.
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const from = (path) => join(root, 'node_modules', path);
const to = (path) => join(root, 'web/static', path);

rmSync(to('vendor'), { recursive: true, force: true });
rmSync(to('fonts'), { recursive: true, force: true });

const copies = {
  'bulma/css/versions/bulma-no-helpers.min.css': 'vendor/bulma/bulma.min.css',
  'bulma/LICENSE': 'vendor/bulma/LICENSE',
  'three/build/three.module.js': 'vendor/three/three.module.js',
  'three/build/three.core.js': 'vendor/three/three.core.js',
  'three/examples/jsm/controls/OrbitControls.js': 'vendor/three/addons/controls/OrbitControls.js',
  'three/LICENSE': 'vendor/three/LICENSE',
  'three-mesh-bvh/build/index.module.js': 'vendor/three-mesh-bvh/index.module.js',
  'three-mesh-bvh/LICENSE': 'vendor/three-mesh-bvh/LICENSE',
  'lucide-static/LICENSE': 'vendor/icons-LICENSE',
  '@fontsource/alegreya/LICENSE': 'fonts/alegreya-LICENSE',
  '@fontsource/alegreya-sans/LICENSE': 'fonts/alegreya-sans-LICENSE',
};
for (const [family, weights] of [['alegreya', ['500-normal', '500-italic', '700-normal']], ['alegreya-sans', ['400-normal', '400-italic', '500-normal', '700-normal']]]) {
  for (const w of weights) {
    for (const subset of ['latin', 'latin-ext']) {
      const name = `${family}-${subset}-${w}.woff2`;
      copies[`@fontsource/${family}/files/${name}`] = `fonts/${name}`;
    }
  }
}
for (const [source, target] of Object.entries(copies)) {
  mkdirSync(dirname(to(target)), { recursive: true });
  cpSync(from(source), to(target));
}

const icons = ['undo-2', 'redo-2', 'search', 'circle-question-mark', 'moon', 'sun', 'history', 'download', 'x', 'eye', 'maximize', 'columns-2', 'bone', 'crosshair', 'upload', 'triangle-alert', 'trash-2', 'check', 'chevron-up', 'chevron-down', 'rotate-ccw', 'user-round', 'info', 'octagon-x', 'printer', 'file-up', 'wand-sparkles', 'chevron-left', 'chevron-right', 'lock', 'lock-open'];
const symbols = icons.map((name) => {
  const svg = readFileSync(from(`lucide-static/icons/${name}.svg`), 'utf8');
  const body = svg.slice(svg.indexOf('>', svg.indexOf('<svg')) + 1, svg.lastIndexOf('</svg>')).replace(/\s+/g, ' ').trim();
  return `<symbol id="${name}" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="1.75" stroke-linecap="round" stroke-linejoin="round">${body}</symbol>`;
});
writeFileSync(to('vendor/icons.svg'), `<svg xmlns="http://www.w3.org/2000/svg">\n${symbols.join('\n')}\n</svg>\n`);
