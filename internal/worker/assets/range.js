// ---- Range: parts of stored files, for sound and films

part.range = async (response, { headers }) => {
  const range = /^bytes=[ \t]*(\d*)-(\d*)[ \t]*$/.exec(headers.get("range") || "");
  if (!range || !(range[1] || range[2]) || (range[1] && range[2] && +range[2] < +range[1])) return response; // it is none, and ignored
  const blob = await response.blob();
  const { size } = blob;
  const start = range[1] ? +range[1] : Math.max(0, size - range[2]);
  const end = range[1] && range[2] ? Math.min(+range[2], size - 1) : size - 1;
  const more = new Headers(response.headers);
  if (start >= size) {
    more.set("content-range", "bytes */" + size);
    return new Response(null, { status: 416, headers: more });
  }
  more.set("content-range", "bytes " + start + "-" + end + "/" + size);
  more.set("content-length", end - start + 1);
  return new Response(blob.slice(start, end + 1), { status: 206, headers: more });
};
