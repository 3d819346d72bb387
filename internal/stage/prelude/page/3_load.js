// How a document comes to be (HTML Standard, "parsing HTML documents" and "script elements"): the parser stops at every script, scripts
// run in their order, and the page's events tell how far it is.
let document = null;
const load = {
  steps: [], at: 0, // how the document is built, and how far it is
  open: [], // elements that are not closed yet
  blocked: false, // a script has to run before the parser goes on
  parsing: false,
  deferred: [], // scripts to run when the document is parsed
  inOrder: [], // scripts that scripts inserted, with async = false
  holding: 0, // what holds back the load event
  parsed: false, done: false,
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

// begin starts a document, feed gives it its source.
function begin(url) {
  startClock();
  origin = $.parseURL(url, null).origin;
  $.globals({origin}, false);
  document = dom.HTMLParser(url).document();
  delete document._parser;
  document.modclock = 1; // live lists notice changes from now on
  document._setMutationHandler(changed);
  giveDocument();
}
function feed(source) {
  load.steps = $.tree(source);
  load.at = 0;
  load.open = [document];
  $.then(pump);
}
// pump builds the document until a script has to run.
function pump() {
  while (!load.blocked && !load.parsed) {
    if (load.queue.length) {
      const script = load.queue.shift();
      if (prepare(script, true)) { $.then(pump); return; }
      continue;
    }
    if (load.at >= load.steps.length) { finishParsing(); return; }
    load.at = build(load.steps, load.at, load.open);
  }
}
const NAMESPACES = {"": "http://www.w3.org/1999/xhtml", svg: "http://www.w3.org/2000/svg", math: "http://www.w3.org/1998/Math/MathML", xlink: "http://www.w3.org/1999/xlink", xml: "http://www.w3.org/XML/1998/namespace", xmlns: "http://www.w3.org/2000/xmlns/"};
// build takes steps from a place on, and gives the place behind the next script. Into a fragment it takes all.
function build(steps, i, open, fragment) {
  if (!fragment) load.parsing = true;
  const owner = open[0].nodeType === DOCUMENT ? open[0] : open[0].ownerDocument;
  try {
    while (i < steps.length) {
      const into = open[open.length - 1];
      switch (steps[i++]) {
        case 0: {
          const e = open.pop();
          if (fragment) break;
          if (e.localName === "template" && e.hasAttribute("shadowrootmode")) shadowTemplate(e);
          if (e.localName === "script" || e.localName === "style") {
            if (e.localName === "style") wants(e, "");
            else if (e.queued_) { load.queue.push(e); return i; }
          }
          break;
        }
        case 1: {
          const ns = steps[i + 1], e = owner._createElementNS(steps[i], NAMESPACES[ns], null), n = steps[i + 2];
          i += 3;
          for (let k = 0; k < n; k++, i += 3) {
            if (steps[i + 2]) e._setAttributeNS(NAMESPACES[steps[i + 2]], steps[i + 2] + ":" + steps[i], steps[i + 1]);
            else e._setAttribute(steps[i], steps[i + 1]);
          }
          const to = into.localName === "template" && into.content ? into.content : into;
          to._appendChild(e);
          if (to === owner) owner._updateDocTypeElement();
          open.push(e);
          break;
        }
        case 2: {
          const to = into.localName === "template" && into.content ? into.content : into;
          to._appendChild(owner.createTextNode(steps[i++]));
          break;
        }
        case 3: {
          const to = into.localName === "template" && into.content ? into.content : into;
          to._appendChild(owner.createComment(steps[i++]));
          break;
        }
        case 4:
          owner._appendChild(new dom.impl.DocumentType(owner, steps[i], steps[i + 1], steps[i + 2]));
          owner._updateDocTypeElement();
          i += 3;
          break;
      }
    }
    return i;
  } finally { if (!fragment) load.parsing = false; }
}
// shadowTemplate makes a shadow root of a template that says so.
function shadowTemplate(t) {
  const host = t.parentNode, mode = t.getAttribute("shadowrootmode");
  if (!host || host.nodeType !== ELEMENT || host.shadowRoot_ || (mode !== "open" && mode !== "closed")) return;
  const root = host.attachShadow({mode});
  root.appendChild(t.content);
  host.removeChild(t);
}
const listedControls = new $Set(["input", "select", "textarea", "button"]);
const namedByName = new $Set(["form", "img", "embed", "object", "iframe"]);
// arrived is told of every element that has come into the document.
function arrived(element) {
  if (listedControls.has(element.localName)) namedInForm(element);
  if (!element._attrKeys.length && element.localName !== "script" && element.localName !== "style") return;
  const id = element._getattr("id") || (namedByName.has(element.localName) && element._getattr("name"));
  if (id) named_(id);
  const keys = element._attrKeys;
  for (let i = 0; i < keys.length; i++) if (keys[i].startsWith("|on")) handlerOfAttribute(element, keys[i].slice(1), element.getAttribute(keys[i].slice(1)));
  if (element.localName === "script" && !element.started_) {
    if (load.parsing && load.open[load.open.length - 1] === element.parentNode) method(element, "queued_", true); // its text comes first
    else prepare(element, false);
    return;
  }
  if (element.localName === "style" && load.parsing) return;
  wants(element, "");
}
// namedInForm lets scripts name a control as a property of its form.
function namedInForm(e) {
  const name = e._getattr("name") || e._getattr("id"), form = name && formOf(e);
  if (form && !(name in form)) $Object.defineProperty(form, name, {configurable: true, enumerable: false, get: () => form.elements[name]});
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
    const options = checksOf(script);
    if (async) job.free = true;
    else if (dynamic) { job.list = load.inOrder; load.inOrder.push(job); }
    else if (kind === "module" || script.hasAttribute("defer")) { job.list = load.deferred; load.deferred.push(job); }
    else { job.blocks = true; load.blocked = true; }
    if (kind === "module") $.module(u.href, null, options, came);
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
    $.module(document._address, text, null, (run) => { job.run = run; job.ready = true; if (job.list) runList(job.list); else job.finish(); });
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
// write is document.write: what a script of the parser writes comes next in the document.
function write(text) {
  if (load.parsed) return; // it would replace the document
  const into = load.open[load.open.length - 1];
  const steps = $.fragment(text, into.localName || "body"), open = [into], waiting = load.queue;
  load.queue = [];
  const outer = load.open;
  load.open = open;
  for (let i = 0; i < steps.length;) {
    i = build(steps, i, open);
    while (load.queue.length && !load.blocked) prepare(load.queue.shift(), true);
  }
  load.open = outer;
  load.queue = [...load.queue, ...waiting];
}

// wants asks for what an element shows or uses, when it has come or an attribute of it has changed.
function wants(e, attribute) {
  const of = (name) => (!attribute || attribute === name) && e.getAttribute(name);
  const style = of("style");
  if (style && style.includes("url(") && e.isConnected) $.style(style, baseOf(document), "");
  switch (e.localName) {
    case "img":
      if (attribute && load.parsing || !of("src") && !of("srcset")) break; // of the parser's it is asked when they are in their place
      if (e.isConnected) picture(e);
      else $.then(() => picture(e)); // a script may put it into a picture yet
      break;
    case "link": {
      if (attribute && attribute !== "href" && attribute !== "rel" && attribute !== "disabled" && attribute !== "media") return;
      const rel = (e.getAttribute("rel") || "").toLowerCase().split(/\s+/), href = e.getAttribute("href");
      if (!href || !e.isConnected) return;
      if (rel.includes("stylesheet") && !e.hasAttribute("disabled")) need(e, "style", href, !load.parsed || !load.content);
      else if (rel.includes("preload") || rel.includes("modulepreload")) need(e, "preload", href);
      else if (rel.includes("prefetch")) { const u = $.parseURL(href.trim(), baseOf(document)); if (u) $.prefetch(u.href.split("#")[0]); }
      break;
    }
    case "iframe": if (of("src") && e.isConnected) need(e, "frame", e.getAttribute("src")); break;
    case "audio": case "video":
      if (of("src") && e.getAttribute("preload") !== "none") need(e, e.localName, e.getAttribute("src"));
      if (of("poster")) need(e, "image", e.getAttribute("poster"));
      break;
    case "source": case "track": if (of("src") && e.isConnected && e.parentNode.localName !== "picture" && e.parentNode.getAttribute("preload") !== "none") need(e, e.localName === "track" ? "track" : e.parentNode.localName, e.getAttribute("src")); break;
    case "image": case "feImage": case "use": { // of a drawing in the page
      const href = of("href") || of("xlink:href");
      if (href && !href.startsWith("#") && e.isConnected && e.namespaceURI === "http://www.w3.org/2000/svg") need(e, "image", href);
      break;
    }
    case "embed": if (of("src") && e.isConnected) need(e, "embed", e.getAttribute("src")); break;
    case "object": if (of("data") && e.isConnected) need(e, "object", e.getAttribute("data")); break;
    case "input": if (e.getAttribute("type") === "image" && of("src")) need(e, "image", e.getAttribute("src")); break;
    case "script": if (attribute === "src" && e.isConnected && !e.started_) prepare(e, false); break;
    case "base": $.setBase(baseOf(document)); break;
    case "style": if (!attribute) $.style(e.textContent, baseOf(document), e.getAttribute("media") || ""); break;
  }
}
// picture requests an image, and tells its element what came of it.
function picture(e) {
  if (e.getAttribute("loading") === "lazy" && (!e.isConnected || e.closest("[hidden]"))) return;
  const src = $.choose(sources(e)) || e.getAttribute("src");
  if (src) need(e, "image", src, e.getAttribute("loading") !== "lazy");
}
// sources gives an image as markup, with the sources of the picture around it that are for this window.
function sources(e) {
  if (!e.parentNode || e.parentNode.localName !== "picture") return e.outerHTML;
  let all = "";
  for (const c of e.parentNode.children) {
    if (c === e) return `<picture>${all}${e.outerHTML}</picture>`;
    const media = c.localName === "source" && c.getAttribute("media");
    if (c.localName === "source" && (!media || new MediaQueryList(media).matches)) {
      const one = c.cloneNode(false);
      one.removeAttribute("media");
      all += one.outerHTML;
    }
  }
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
  }, {...checksOf(e), media: use === "style" ? /(?:^|\s)alternate(?:\s|$)/i.test(e.getAttribute("rel")) ? "not all" : e.getAttribute("media") || "" : ""});
}
// checksOf gives what an element asks of the answer beside its coming: whether other origins have to allow it, and which bytes it is to have.
function checksOf(e) {
  const cross = e.getAttribute("crossorigin"), digest = e.localName === "script" || e.localName === "link" && !/preload/i.test(e.getAttribute("rel"));
  return {crossorigin: cross === null ? "" : /^use-credentials$/i.test(cross) ? "use-credentials" : "anonymous", integrity: digest && e.getAttribute("integrity") || ""};
}

// baseOf gives what addresses in a document are resolved against.
function baseOf(doc) {
  const b = doc.querySelector && doc === document ? doc.getElementsByTagName("base")[0] : null, href = b && b.getAttribute("href");
  const u = href ? $.parseURL(href, doc._address) : null;
  return u ? u.href : doc._address;
}
