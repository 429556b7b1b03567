// What other people's readers make of files that were exported: the glTF validator of Khronos, and two readers of USD
// (three.js, TinyUSDZ). node read.mjs FOLDER_OF_PACKAGES FILE.gltf FILE.usda; prints one object of JSON.
import { readFileSync } from 'node:fs';
import { pathToFileURL } from 'node:url';

const [packages, gltf, usda] = process.argv.slice(2);
const load = (path) => import(pathToFileURL(`${packages}/node_modules/${path}`).href);
const out = {};

const validator = (await load('gltf-validator/index.js')).default;
const report = await validator.validateBytes(new Uint8Array(readFileSync(gltf)));
out.gltf = {
  errors: report.issues.numErrors,
  warnings: report.issues.numWarnings,
  messages: report.issues.messages.filter((m) => m.severity < 2).map((m) => `${m.pointer}: ${m.message}`),
};

const { USDAParser } = await load('three/examples/jsm/loaders/usd/USDAParser.js');
const { USDComposer } = await load('three/examples/jsm/loaders/usd/USDComposer.js');
const { Box3 } = await load('three/build/three.module.js');
const scene = new USDComposer().compose(new USDAParser().parseData(readFileSync(usda, 'utf8')), {}, {}, '');
scene.updateMatrixWorld(true);
out.three = { nodes: {}, tracks: [] };
scene.traverse((o) => {
  if (!o.name) return;
  const node = { matrix: [...o.matrixWorld.elements] };
  if (o.isCamera) Object.assign(node, { focalMm: o.getFocalLength(), gaugeMm: o.filmGauge, aspect: o.aspect });
  if (o.isMesh) {
    const box = new Box3().setFromObject(o, true);
    Object.assign(node, { low: box.min.toArray(), high: box.max.toArray() });
  }
  out.three.nodes[o.name] = node;
});
for (const t of scene.animations?.[0]?.tracks ?? [])
  out.three.tracks.push({ name: t.name, count: t.times.length, last: [...t.values].slice(-t.getValueSize()) });

// TinyUSDZ is built for browsers: it looks whether it is in one.
const wasm = readFileSync(`${packages}/node_modules/tinyusdz/tinyusdz.wasm`);
const bytes = new Uint8Array(readFileSync(usda));
const node = globalThis.process;
delete globalThis.process;
globalThis.WorkerGlobalScope = class {};
globalThis.self = globalThis;
globalThis.location = { href: 'file:///' };
const tiny = await (await load('tinyusdz/tinyusdz.js')).default({ wasmBinary: wasm });
globalThis.process = node;
const reader = new tiny.TinyUSDZLoaderNative();
out.tinyusdz = { read: reader.loadFromBinary(bytes, 'scene.usda'), error: reader.error?.() ?? '', nodes: {} };
const visit = (n) => {
  out.tinyusdz.nodes[n.primName] = { matrix: Array.from(n.globalMatrix ?? n.localMatrix ?? []) };
  for (const child of n.children ?? []) visit(child);
};
if (out.tinyusdz.read) visit(reader.getDefaultRootNode());
console.log(JSON.stringify(out));
