// Reads a bundle, the server's format for arrays (docs/binary.md): the word
// WMB1, the header's length, a JSON header, then little-endian float32 or uint32.

/**
 * @param {ArrayBuffer} buffer
 * @returns {any} its arrays by name, and meta
 */
export function openBundle(buffer) {
  const view = new DataView(buffer);
  if (buffer.byteLength < 8 || view.getUint32(0, false) !== 0x574d4231) throw new Error('This is no bundle.');
  const length = view.getUint32(4, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 8, length)));
  /** @type {Record<string, any>} */
  const out = { meta: head.meta };
  for (const a of head.arrays) {
    const Kind = a.type === 'f32' ? Float32Array : Uint32Array;
    out[a.name] = new Kind(buffer, 8 + length + a.at, a.count * a.width);
  }
  return out;
}
