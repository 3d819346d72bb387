// ---- Preload: pages are asked of the network while this worker starts

// The browser's own request is not waited for alone: some browsers give no answer to it without a network.
part.preloaded = (event) => {
  const ask = async () => fetched(event.request, { cache: "no-cache" });
  return new Promise((resolve, reject) => {
    const late = setTimeout(() => ask().then(resolve, reject), 1000);
    event.preloadResponse.then((answer) => {
      clearTimeout(late);
      if (answer) resolve(answer);
      else ask().then(resolve, reject);
    }, () => ask().then(resolve, reject));
  });
};
