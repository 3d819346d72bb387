// ---- Groups: files that a page can ask for as a whole

const working = new Set(); // names of groups that are being stored

const groupOf = (name) => [...OWN.files.values()].filter(({ file }) => TABLE.groups[name] && new RegExp(TABLE.groups[name]).test(plain(file)));

heard.group = async (source, { name, what }) => {
  const entries = groupOf(name);
  const bodies = await caches.open(FILES);
  const have = new Set((await bodies.keys()).map(({ url }) => url.slice(location.origin.length)));
  const queue = entries.filter((entry) => !have.has(keyOf(entry)));
  const tell = (more) => toPages({ group: name, files: entries.length, stored: entries.length - queue.length, ...more });
  if (what === "cancel") return working.delete(name);
  if (what === "remove") {
    working.delete(name);
    for (const entry of entries) if (!entry.now) await bodies.delete(keyOf(entry), { ignoreVary: true });
    return heard.group(source, { name, what: "look" });
  }
  if (what !== "keep" || working.has(name)) return tell({ whole: !queue.length, working: working.has(name) });
  working.add(name);
  const failed = [];
  while (queue.length && working.has(name)) {
    await tell({ working: true });
    const entry = queue.pop();
    await stow(entry, 2, true).catch(() => failed.push(entry.file));
  }
  const cancelled = !working.delete(name);
  await tell({ whole: !queue.length && !failed.length, failed, cancelled, stored: entries.length - queue.length - failed.length });
};
