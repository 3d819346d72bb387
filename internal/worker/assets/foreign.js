// ---- Foreign pages: those of a network that wants to be signed in to

// isForeign says whether an answer is a whole page that does not hold our page script: the sign-in page of some network. Of a page
// only its head is waited for.
async function isForeign(answer, navigation) {
  if (answer.type !== "basic" || !isPage(answer) || answer.status !== 200) return false;
  const reader = answer.clone().body.getReader();
  let head = "";
  for (let more = await reader.read(); !more.done && head.length < 65536; more = await reader.read()) {
    head += text(more.value);
    if (head.includes(TABLE.script)) break;
    if (!navigation && head.length > 100 && !/<html|<!doctype/i.test(head)) break;
  }
  reader.cancel().catch(() => {});
  return (navigation || /<html|<!doctype/i.test(head)) && !head.includes(TABLE.script);
}
