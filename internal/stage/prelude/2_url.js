// URL and URLSearchParams (URL Standard); parsing itself is done by the stage.
class URLSearchParams {
  #list = []; #url = null;
  constructor(init = "") {
    if (init && typeof init === "object" && !(init instanceof URLSearchParams && false)) {
      if (typeof init[$Symbol.iterator] === "function") {
        for (const pair of init) {
          const p = [...pair];
          if (p.length !== 2) throw new $TypeError("Failed to construct 'URLSearchParams': Sequence initializer must only contain pair elements");
          this.#list.push([$String(p[0]), $String(p[1])]);
        }
      } else for (const k of $Object.keys(init)) this.#list.push([k, $String(init[k])]);
    } else this.#list = $.parseQuery($String(init).replace(/^\?/, ""));
  }
  static _of(url, query) { const p = new URLSearchParams(query); p.#url = url; return p; }
  static _reset(p, query) { p.#list = $.parseQuery(query); }
  #changed() { if (this.#url) setSearch(this.#url, this.toString()); }
  get size() { return this.#list.length; }
  append(k, v) { this.#list.push([$String(k), $String(v)]); this.#changed(); }
  delete(k, v) {
    k = $String(k);
    this.#list = this.#list.filter((p) => p[0] !== k || (v !== undefined && p[1] !== $String(v)));
    this.#changed();
  }
  get(k) { for (const p of this.#list) if (p[0] === $String(k)) return p[1]; return null; }
  getAll(k) { return this.#list.filter((p) => p[0] === $String(k)).map((p) => p[1]); }
  has(k, v) { return this.#list.some((p) => p[0] === $String(k) && (v === undefined || p[1] === $String(v))); }
  set(k, v) {
    k = $String(k); v = $String(v);
    const i = this.#list.findIndex((p) => p[0] === k);
    if (i < 0) this.#list.push([k, v]);
    else {
      this.#list[i][1] = v;
      this.#list = this.#list.filter((p, j) => j <= i || p[0] !== k);
    }
    this.#changed();
  }
  sort() { this.#list.sort((a, b) => (a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0)); this.#changed(); }
  forEach(f, self) { for (const [k, v] of this.#list) f.call(self, v, k, this); }
  *entries() { for (const p of this.#list) yield [p[0], p[1]]; }
  *keys() { for (const p of this.#list) yield p[0]; }
  *values() { for (const p of this.#list) yield p[1]; }
  [$Symbol.iterator]() { return this.entries(); }
  toString() { return $.formatQuery(this.#list); }
}
const paramsOf = URLSearchParams._of, resetParams = URLSearchParams._reset;
delete URLSearchParams._of;
delete URLSearchParams._reset;

class URL {
  #p; #params = null;
  constructor(url = absent, base) {
    if (url === absent) throw new $TypeError("Failed to construct 'URL': 1 argument required, but only 0 present.");
    this.#p = $.parseURL($String(url), base === undefined ? null : $String(base));
    if (!this.#p) throw new $TypeError("Failed to construct 'URL': Invalid URL");
  }
  static canParse(url, base) { return !!$.parseURL($String(url), base === undefined ? null : $String(base)); }
  static parse(url, base) { return URL.canParse(url, base) ? new URL(url, base) : null; }
  static createObjectURL() { throw new $TypeError("URL.createObjectURL is not available in service workers"); }
  static _search(u, query) { u.#p = $.setURL(u.#p.href, "search", query); }
  #set(part, value) {
    const p = $.setURL(this.#p.href, part, $String(value));
    if (p) this.#p = p;
    if (this.#params && (part === "search" || part === "href")) resetParams(this.#params, this.#p.search.replace(/^\?/, ""));
  }
  get href() { return this.#p.href; }
  set href(v) {
    const p = $.parseURL($String(v), null);
    if (!p) throw new $TypeError("Invalid URL");
    this.#p = p;
    if (this.#params) resetParams(this.#params, p.search.replace(/^\?/, ""));
  }
  get origin() { return this.#p.origin; }
  get protocol() { return this.#p.protocol; }
  set protocol(v) { this.#set("protocol", v); }
  get username() { return this.#p.username; }
  set username(v) { this.#set("username", v); }
  get password() { return this.#p.password; }
  set password(v) { this.#set("password", v); }
  get host() { return this.#p.host; }
  set host(v) { this.#set("host", v); }
  get hostname() { return this.#p.hostname; }
  set hostname(v) { this.#set("hostname", v); }
  get port() { return this.#p.port; }
  set port(v) { this.#set("port", v); }
  get pathname() { return this.#p.pathname; }
  set pathname(v) { this.#set("pathname", v); }
  get search() { return this.#p.search; }
  set search(v) { this.#set("search", v); }
  get hash() { return this.#p.hash; }
  set hash(v) { this.#set("hash", v); }
  get searchParams() { return this.#params || (this.#params = paramsOf(this, this.#p.search.replace(/^\?/, ""))); }
  toString() { return this.#p.href; }
  toJSON() { return this.#p.href; }
}
const setSearch = URL._search;
delete URL._search;

class URLPattern {
  #p;
  constructor(input = {}, base, options) {
    if (base && typeof base === "object") { options = base; base = undefined; }
    this.#p = $.pattern(input, base === undefined ? null : $String(base), !!(options && options.ignoreCase));
    for (const k of ["protocol", "username", "password", "hostname", "port", "pathname", "search", "hash"])
      $Object.defineProperty(this, k, {value: this.#p.parts[k], enumerable: true});
  }
  get hasRegExpGroups() { return this.#p.regexp; }
  test(input = {}, base) { return !!this.exec(input, base); }
  exec(input = {}, base) {
    if (typeof input === "string" && base !== undefined) { const u = URL.parse(input, base); if (!u) return null; input = u.href; }
    if (input instanceof URL) input = input.href;
    return $.patternExec(this.#p.handle, input);
  }
}
