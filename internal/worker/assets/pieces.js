// ---- Pieces: a list of files too long for "sw.js", in pieces that are fetched when they are needed

const MOST = 2000; // files that are stored of what is not stored at once

// fromPiece finds a path in the piece that has it: the last one that begins before it. It fails when the piece cannot be had.
part.fromPiece = async (list, path, navigation, offline) => {
  path = path.replace(/\/index\.html?$/, "/");
  for (const file of navigation ? [path, path + ".html"] : [path]) {
    let digest;
    for (const [first, at] of list.pieces) if (first <= file) digest = at;
    if (digest) await readPiece(list, digest, offline);
  }
  return nameIn(list, path, navigation);
};

async function readPiece(list, digest, offline) {
  list.read = list.read || new Set();
  if (list.read.has(digest)) return;
  const entry = { file: TABLE.base + "sw-list/" + digest + ".json", digest, kind: "code" };
  const piece = (await stored(entry)) || (!offline && (await stow(entry)));
  if (!piece) return;
  const kinds = await piece.json();
  for (const kind in kinds) for (const file in kinds[kind]) if (!list.files.has(file)) addTo(list, { file, digest: kinds[kind][file], kind, now: false });
  list.read.add(digest);
}

// trim bounds what is stored as pages are visited: the oldest go first, and the pages that were opened last stay.
part.trim = async (opened) => {
  const bodies = await caches.open(FILES);
  const extra = (await bodies.keys()).filter(({ url }) => {
    const file = url.slice(location.origin.length).split("?tachyform=")[0];
    return !(OWN.files.get(file) || {}).now && !file.includes("/sw-list/") && !opened.includes(file);
  });
  for (const request of extra.slice(0, -MOST)) await bodies.delete(request, { ignoreVary: true });
};
