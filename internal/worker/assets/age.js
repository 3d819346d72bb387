// ---- Age: since when this visitor has the release

heard.age = async (source) => {
  const { release, since } = await memory();
  source.postMessage({ tachyform: NAME, age: { release, since } });
};
