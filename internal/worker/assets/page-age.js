
  // ---- Since when this visitor has the release
  //   <p data-app-release>   its data-release names the release, its data-since says since when (ISO 8601), its data-days for how many days
  // Event "app-age": release, since (ms).
  let age = null;
  parts.push({
    draw: () => each("release", ({ dataset }) => {
      if (!age) age = say({ tachyform: "age" }) !== null && {};
      const { release, since } = age || {};
      if (since) Object.assign(dataset, { release, since: new Date(since).toISOString(), days: Math.floor((Date.now() - since) / 86400000) });
    }),
    hear: (data) => {
      if (data.age) tell("app-age", age = data.age);
    },
  });
