// How a document comes to be (HTML Standard, "parsing HTML documents" and "script elements"): the parser stops at every script, scripts
// run in their order, and the page's events tell how far it is.
let parser = null, document = null;
const load = {
  rest: [], // what the parser has not read yet
  ended: false, // nothing more comes from the network
  blocked: false, // a script has to run before the parser goes on
  parsing: false,
  deferred: [], // scripts to run when the document is parsed
  inOrder: [], // scripts that scripts inserted, with async = false
  holding: 0, // what holds back the load event
  parsed: false, done: false,
  writing: null, // script that runs, and may write
  state: "loading",
  queue: [], // script elements that the parser has closed and nobody has looked at
};
const isScriptType = (t) => /^(|text\/javascript|application\/javascript|application\/x-javascript|text\/ecmascript|application\/ecmascript|application\/x-ecmascript|text\/jscript|text\/livescript|text\/javascript1\.[0-5]|text\/x-ecmascript|text\/x-javascript)$/.test(t);

// kindOf says what a script element holds: "classic", "module", "importmap" or "" for data.
function kindOf(script) {
  const type = script.getAttribute("type"), language = script.getAttribute("language");
  const t = type !== null ? type.trim().toLowerCase() : language ? "text/" + language.toLowerCase() : "";
  if (type === "" || isScriptType(t)) return script.hasAttribute("nomodule") ? "" : script.hasAttribute("for") && script.hasAttribute("event") ? "" : "classic";
  return t === "module" || t === "importmap" ? t : "";
}

// setReady moves document.readyState on.
const setReady = (state, then) => { load.state = state; fireSimple(document, "readystatechange", {}, then); };

// begin starts a document; more text comes by feed.
function begin(url) {
  parser = dom.HTMLParser(url);
  document = parser.document();
  document._setMutationHandler(changed);
  giveDocument();
}
// feed takes text in pieces that end behind each script.
function feed(html, last) {
  const pieces = html.split(/(?<=<\/script\s*>)/i);
  for (const p of pieces) load.rest.push(p);
  load.ended = last;
  $.then(pump);
}
// pump lets the parser go on until a script has to run.
function pump() {
  while (!load.blocked && !load.parsed) {
    if (load.queue.length) {
      const script = load.queue.shift();
      if (prepare(script, true)) { $.then(pump); return; }
      continue;
    }
    if (!load.rest.length) {
      if (load.ended) finishParsing();
      return;
    }
    const piece = load.rest.shift(), last = !load.rest.length && load.ended;
    load.parsing = true;
    load.stopping = last; // domino would tell the window that it is done
    parser.parse(piece, last);
    load.parsing = load.stopping = false;
    if (load.templates) shadowTemplates();
  }
}
// shadowTemplates makes shadow roots of templates that say so.
function shadowTemplates() {
  load.templates = false;
  for (const t of [...document.querySelectorAll("template[shadowrootmode]")]) {
    const host = t.parentNode, mode = t.getAttribute("shadowrootmode");
    if (!host || host.nodeType !== ELEMENT || host.shadowRoot_ || (mode !== "open" && mode !== "closed")) continue;
    const root = host.attachShadow({mode});
    root.appendChild(t.content);
    host.removeChild(t);
  }
}
// arrived is told of every element that has come into the document.
function arrived(element) {
  const id = element.getAttribute("id") || (/^(form|img|embed|object|iframe)$/.test(element.localName) && element.getAttribute("name"));
  if (id) named_(id);
  if (element._numattrs) for (const name of element.getAttributeNames()) if (name.startsWith("on")) handlerOfAttribute(element, name, element.getAttribute(name));
  if (element.localName === "script" && !element.started_) {
    if (load.parsing && !load.inserting) load.queue.push(element);
    else prepare(element, false);
    return;
  }
  if (element.localName === "template" && load.parsing && element.hasAttribute("shadowrootmode")) load.templates = true;
  wants(element, "");
}
// named_ lets scripts name an element by its id alone (HTML Standard, "named access on the Window object").
function named_(id) {
  if (id in globalThis) return;
  const find = () => document.getElementById(id) || document.getElementsByName(id)[0];
  $Object.defineProperty(globalThis, id, {configurable: true, enumerable: false, get: find, set(value) { $Object.defineProperty(globalThis, id, {value, writable: true, configurable: true, enumerable: true}); }});
}
// prepare does what is to be done with a script now. It says whether something ran.
function prepare(script, byParser) {
  const kind = kindOf(script), text = script.text, src = script.getAttribute("src");
  if (script.started_ || !script.isConnected && !byParser) return false;
  if (src === null && !text) return false;
  if (!kind) return false;
  method(script, "started_", true);
  const after = (ok) => { if (src !== null) fireSimple(script, ok ? "load" : "error"); };
  const dynamic = !byParser;
  const async = script.hasAttribute("async") || (dynamic && script.async_ !== false);
  if (src !== null) {
    if (kind === "importmap") return false;
    const u = src.trim() ? $.parseURL(src, baseOf(document)) : null;
    if (!u) { $.task(() => after(false)); return false; }
    load.holding++;
    const job = {script, ready: false, run: null};
    const release = () => { load.holding--; if (!dynamic && job.blocks) { load.blocked = false; $.then(pump); } $.then(look); };
    const finish = () => { // once what it needs has come
      if (job.failed) { after(false); $.then(release); return; }
      const was = current;
      current = kind === "classic" ? script : null;
      job.run();
      current = was;
      $.then(() => { after(true); $.then(release); });
    };
    job.finish = finish;
    const came = (run) => {
      job.run = run;
      job.failed = !run;
      job.ready = true;
      if (job.blocks || job.free) finish();
      else if (job.list) runList(job.list);
    };
    const options = {integrity: script.getAttribute("integrity") || "", crossorigin: script.hasAttribute("crossorigin") ? script.getAttribute("crossorigin") || "anonymous" : ""};
    if (async) job.free = true;
    else if (dynamic) { job.list = load.inOrder; load.inOrder.push(job); }
    else if (kind === "module" || script.hasAttribute("defer")) { job.list = load.deferred; load.deferred.push(job); }
    else { job.blocks = true; load.blocked = true; }
    if (kind === "module") $.module(u.href, null, 0, options.crossorigin, came);
    else $.classic(u.href, options, came);
    return false;
  }
  if (kind === "importmap") {
    const e = $.importMap(text, baseOf(document));
    if (e) report("import map", new $TypeError(e));
    return false;
  }
  if (kind === "module") {
    load.holding++;
    const job = {script, ready: false};
    job.finish = () => { if (job.run) job.run(); $.then(() => { load.holding--; $.then(look); }); };
    if (!async && byParser) { job.list = load.deferred; load.deferred.push(job); }
    $.module(document._address, text, 0, "", (run) => { job.run = run; job.ready = true; if (job.list) runList(job.list); else job.finish(); });
    return false;
  }
  const was = current;
  current = script;
  const error = $.execute(document._address, text);
  current = was;
  if (error) $.uncaught(error);
  return true;
}
let current = null;

// runList runs what has come of a list, in its order: deferred scripts when the document is parsed.
function runList(list) {
  if (list === load.deferred && !load.parsed) return;
  if (list.running) return;
  if (!list.length || !list[0].ready) { if (list === load.deferred && !list.length && load.parsed && !load.content) contentLoaded(); return; }
  const job = list.shift();
  list.running = true;
  job.finish();
  $.then(() => { list.running = false; runList(list); });
}
function finishParsing() {
  load.parsed = true;
  setReady("interactive", () => runList(load.deferred));
}
function contentLoaded() {
  load.content = true;
  fireSimple(document, "DOMContentLoaded", {bubbles: true}, look);
}
// look fires load when nothing holds it back.
function look() {
  if (!load.content || load.done || load.holding > 0 || load.inOrder.length) return;
  load.done = true;
  $.task(() => setReady("complete", () => fireSimple(globalThis, "load", {}, () => { $.loaded(); fire(globalThis, made(PageTransitionEvent, "pageshow", {persisted: false})); })));
}
// write is document.write: while a script of the parser runs, its text comes next.
function write(text) {
  if (load.parsed) return; // it would replace the document
  load.rest.unshift(...text.split(/(?<=<\/script\s*>)/i));
  if (!load.rest.length) return;
  let n = text.split(/(?<=<\/script\s*>)/i).length;
  while (n-- > 0 && !load.blocked) {
    load.parsing = true;
    parser.parse(load.rest.shift(), false);
    load.parsing = false;
    while (load.queue.length && !load.blocked) prepare(load.queue.shift(), true);
  }
}

// wants asks for what an element shows or uses, when it has come or an attribute of it has changed.
function wants(e, attribute) {
  const of = (name) => (!attribute || attribute === name) && e.getAttribute(name);
  switch (e.localName) {
    case "img":
      if (of("src") || of("srcset")) picture(e);
      break;
    case "link": {
      if (attribute && attribute !== "href" && attribute !== "rel" && attribute !== "disabled" && attribute !== "media") return;
      const rel = (e.getAttribute("rel") || "").toLowerCase().split(/\s+/), href = e.getAttribute("href");
      if (!href || !e.isConnected) return;
      if (rel.includes("stylesheet") && !e.hasAttribute("disabled")) need(e, "style", href, !load.parsed || !load.content);
      else if (rel.includes("preload") || rel.includes("modulepreload")) need(e, "preload", href);
      break;
    }
    case "iframe": if (of("src") && e.isConnected) need(e, "frame", e.getAttribute("src")); break;
    case "audio": case "video":
      if (of("src") && e.getAttribute("preload") !== "none") need(e, e.localName, e.getAttribute("src"));
      if (of("poster")) need(e, "image", e.getAttribute("poster"));
      break;
    case "source": case "track": if (of("src") && e.isConnected && e.parentNode.localName !== "picture" && e.parentNode.getAttribute("preload") !== "none") need(e, e.localName === "track" ? "track" : e.parentNode.localName, e.getAttribute("src")); break;
    case "embed": if (of("src") && e.isConnected) need(e, "embed", e.getAttribute("src")); break;
    case "object": if (of("data") && e.isConnected) need(e, "object", e.getAttribute("data")); break;
    case "input": if (e.getAttribute("type") === "image" && of("src")) need(e, "image", e.getAttribute("src")); break;
    case "script": if (attribute === "src" && e.isConnected && !e.started_) prepare(e, false); break;
    case "style": if (!attribute) $.style(e.textContent, baseOf(document)); break;
  }
}
// picture requests an image, and tells its element what came of it.
function picture(e) {
  if (e.getAttribute("loading") === "lazy" && (!e.isConnected || e.closest("[hidden]"))) return;
  const src = $.choose(e.parentNode && e.parentNode.localName === "picture" ? e.parentNode.outerHTML : e.outerHTML) || e.getAttribute("src");
  if (src) need(e, "image", src, e.getAttribute("loading") !== "lazy");
}
const needed = slots();
function need(e, use, ref, holds) {
  const u = $.parseURL(ref.trim(), baseOf(document));
  if (!u || !/^(https?|data|blob):/.test(u.href)) return;
  const key = use + " " + u.href;
  if (needed.get(e) === key) return;
  needed.set(e, key);
  if (holds) load.holding++;
  method(e, "complete_", false);
  $.need(u.href.split("#")[0], use, (ok) => {
    if (needed.get(e) === key) { method(e, "complete_", true); method(e, "came_", ok); fireSimple(e, ok ? "load" : "error", {}, () => { if (holds) { load.holding--; look(); } }); }
    else if (holds) { load.holding--; $.then(look); }
  });
}

// baseOf gives what addresses in a document are resolved against.
function baseOf(doc) {
  const b = doc.querySelector && doc === document ? doc.getElementsByTagName("base")[0] : null, href = b && b.getAttribute("href");
  const u = href ? $.parseURL(href, doc._address) : null;
  return u ? u.href : doc._address;
}
