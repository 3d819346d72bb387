
// Intl (ECMA-402) in American English, the language of most test machines, with the time zones of the program's own machine.
// It is made when somebody asks for it.
if (!("Intl" in globalThis)) {
  let made = null;
  const locale = () => made || (made = makeLocale());
  const set = (value) => Object.defineProperty(globalThis, "Intl", {value, writable: true, configurable: true, enumerable: false});
  Object.defineProperty(globalThis, "Intl", {configurable: true, enumerable: false, set, get() { set(locale().Intl); return locale().Intl; }});
  for (const [target, methods] of [
    [Number.prototype, {toLocaleString(l, o) { return new (locale().NumberFormat)(l, o).format(Number(this)); }}],
    [BigInt.prototype, {toLocaleString(l, o) { return new (locale().NumberFormat)(l, o).format(BigInt(this)); }}],
    [Date.prototype, {
      toLocaleString(l, o) { return isNaN(this) ? "Invalid Date" : new (locale().DateTimeFormat)(l, o, "both").format(this); },
      toLocaleDateString(l, o) { return isNaN(this) ? "Invalid Date" : new (locale().DateTimeFormat)(l, o, "date").format(this); },
      toLocaleTimeString(l, o) { return isNaN(this) ? "Invalid Date" : new (locale().DateTimeFormat)(l, o, "time").format(this); }}],
  ]) for (const name of Object.keys(methods)) Object.defineProperty(target, name, {value: methods[name], writable: true, configurable: true});
}
function makeLocale() {
  const months = "January February March April May June July August September October November December".split(" ");
  const days = "Sunday Monday Tuesday Wednesday Thursday Friday Saturday".split(" ");
  const two = (n) => String(n).padStart(2, "0");
  const canonical = (locales) => {
    if (locales === undefined) return [];
    return [...new Set((typeof locales === "string" ? [locales] : Array.from(locales)).map((l) => {
      if (typeof l !== "string" || !/^[A-Za-z]{2,8}([-_][0-9A-Za-z]{1,8})*$/.test(l)) throw new RangeError("Incorrect locale information provided");
      return l.split("-").map((p, i) => i === 0 ? p.toLowerCase() : p.length === 2 ? p.toUpperCase() : p.length === 4 ? p[0].toUpperCase() + p.slice(1).toLowerCase() : p).join("-");
    }))];
  };
  const service = (C) => {
    polyfill(C, {supportedLocalesOf(l) { return canonical(l); }});
    Object.defineProperty(C.prototype, Symbol.toStringTag, {value: "Intl." + C.name, configurable: true});
    return C;
  };
  const called = (C) => new Proxy(C, {apply: (target, self, args) => new C(...args)});
  const localeOf = (locales) => canonical(locales)[0] || "en-US";

  const grouped = (digits) => digits.replace(/\B(?=(\d{3})+(?!\d))/g, ",");
  const symbols = {USD: "$", EUR: "€", GBP: "£", JPY: "¥", INR: "₹", CNY: "CN¥", KRW: "₩"};
  class NumberFormat {
    #o; #locale;
    constructor(locales, o = {}) {
      this.#locale = localeOf(locales);
      const money = o.style === "currency", percent = o.style === "percent";
      if (money && !o.currency) throw new TypeError("Currency code is required with currency style.");
      const least = o.minimumFractionDigits ?? (money && o.maximumFractionDigits === undefined ? (o.currency === "JPY" || o.currency === "KRW" ? 0 : 2) : 0);
      const most = o.maximumFractionDigits ?? Math.max(least, money ? least : percent ? 0 : 3);
      if (least < 0 || least > 100 || most < least || most > 100) throw new RangeError("maximumFractionDigits value is out of range.");
      this.#o = {style: "decimal", notation: "standard", useGrouping: true, minimumIntegerDigits: 1, ...o, minimumFractionDigits: least, maximumFractionDigits: most};
      this.format = this.format.bind(this);
    }
    format(x) {
      const o = this.#o;
      if (typeof x === "bigint") return (x < 0n ? "-" : "") + grouped(String(x < 0n ? -x : x));
      x = Number(x);
      if (x !== x) return "NaN";
      let suffix = o.style === "percent" ? "%" : o.style === "unit" ? " " + o.unit : "";
      let v = Math.abs(x) * (o.style === "percent" ? 100 : 1);
      let most = o.maximumFractionDigits;
      if (o.notation === "compact") {
        for (const [n, s] of [[1e12, "T"], [1e9, "B"], [1e6, "M"], [1e3, "K"]]) if (v >= n) { v /= n; suffix = s; break; }
        most = v < 10 ? 1 : 0;
      }
      let text = "∞";
      if (v !== Infinity) {
        text = o.maximumSignificantDigits ? String(Number(v.toPrecision(o.maximumSignificantDigits))) : v.toFixed(most);
        let [whole, part = ""] = text.split(".");
        while (part.length > o.minimumFractionDigits && part.endsWith("0")) part = part.slice(0, -1);
        whole = whole.padStart(o.minimumIntegerDigits, "0");
        text = (o.useGrouping === false ? whole : grouped(whole)) + (part ? "." + part : "");
      }
      const before = o.style === "currency" ? symbols[o.currency] || o.currency + " " : "";
      return (x < 0 || Object.is(x, -0) ? "-" : o.signDisplay === "always" || o.signDisplay === "exceptZero" && x ? "+" : "") + before + text + suffix;
    }
    formatToParts(x) { return [{type: "literal", value: this.format(x)}]; }
    resolvedOptions() { return {locale: this.#locale, numberingSystem: "latn", ...this.#o}; }
  }

  const styles = {full: {weekday: "long", year: "numeric", month: "long", day: "numeric"}, long: {year: "numeric", month: "long", day: "numeric"},
    medium: {year: "numeric", month: "short", day: "numeric"}, short: {year: "2-digit", month: "numeric", day: "numeric"}};
  const times = {full: {hour: "numeric", minute: "2-digit", second: "2-digit", timeZoneName: "long"}, long: {hour: "numeric", minute: "2-digit", second: "2-digit", timeZoneName: "short"},
    medium: {hour: "numeric", minute: "2-digit", second: "2-digit"}, short: {hour: "numeric", minute: "2-digit"}};
  class DateTimeFormat {
    #o; #locale; #zone;
    constructor(locales, o = {}, kind = "date") {
      this.#locale = localeOf(locales);
      this.#zone = o.timeZone === undefined ? $.zone() : String(o.timeZone);
      if ($.zoneOffset(this.#zone, 0) === undefined) throw new RangeError("Invalid time zone specified: " + this.#zone);
      const given = ["weekday", "year", "month", "day", "hour", "minute", "second", "dateStyle", "timeStyle", "dayPeriod", "fractionalSecondDigits"].some((k) => o[k] !== undefined);
      this.#o = {...o, ...(o.dateStyle ? styles[o.dateStyle] : {}), ...(o.timeStyle ? times[o.timeStyle] : {})};
      if (!given && kind !== "time") Object.assign(this.#o, {year: "numeric", month: "numeric", day: "numeric"});
      if (!given && kind !== "date") Object.assign(this.#o, {hour: "numeric", minute: "2-digit", second: "2-digit"});
      this.format = this.format.bind(this);
    }
    formatToParts(date) {
      const ms = date === undefined ? Date.now() : Number(date);
      if (ms !== ms || Math.abs(ms) > 8.64e15) throw new RangeError("Invalid time value");
      const o = this.#o, d = new Date(ms + $.zoneOffset(this.#zone, ms) * 60000), parts = [];
      const add = (type, value) => parts.push({type, value: String(value)}), say = (value) => parts.push({type: "literal", value});
      const year = () => add("year", o.year === "2-digit" ? two(d.getUTCFullYear() % 100) : d.getUTCFullYear());
      const day = () => add("day", o.day === "2-digit" ? two(d.getUTCDate()) : d.getUTCDate());
      if (o.weekday) { add("weekday", o.weekday === "long" ? days[d.getUTCDay()] : days[d.getUTCDay()].slice(0, o.weekday === "narrow" ? 1 : 3)); if (o.year || o.month || o.day) say(", "); }
      if (o.month === "long" || o.month === "short" || o.month === "narrow") {
        add("month", o.month === "long" ? months[d.getUTCMonth()] : months[d.getUTCMonth()].slice(0, o.month === "short" ? 3 : 1));
        if (o.day) { say(" "); day(); }
        if (o.year) { say(o.day ? ", " : " "); year(); }
      } else {
        const fields = [];
        if (o.month) fields.push(() => add("month", o.month === "2-digit" ? two(d.getUTCMonth() + 1) : d.getUTCMonth() + 1));
        if (o.day) fields.push(day);
        if (o.year) fields.push(year);
        fields.forEach((f, i) => { if (i) say("/"); f(); });
      }
      if (o.hour || o.minute || o.second || o.fractionalSecondDigits) {
        if (parts.length) say(o.dateStyle === "full" || o.dateStyle === "long" ? " at " : ", ");
        const half = o.hour12 !== undefined ? o.hour12 : o.hourCycle ? /^h1[12]$/.test(o.hourCycle) : true, h = d.getUTCHours();
        const fields = [];
        if (o.hour) fields.push(() => { const n = half ? h % 12 || 12 : h; add("hour", o.hour === "2-digit" || !half ? two(n) : n); });
        if (o.minute) fields.push(() => add("minute", o.hour || o.second ? two(d.getUTCMinutes()) : d.getUTCMinutes()));
        if (o.second) fields.push(() => add("second", o.minute ? two(d.getUTCSeconds()) : d.getUTCSeconds()));
        fields.forEach((f, i) => { if (i) say(":"); f(); });
        if (o.fractionalSecondDigits) { say("."); add("fractionalSecond", String(d.getUTCMilliseconds()).padStart(3, "0").slice(0, o.fractionalSecondDigits)); }
        if (o.hour && half) { say(" "); add("dayPeriod", h < 12 ? "AM" : "PM"); }
      }
      if (o.timeZoneName) { say(" "); add("timeZoneName", this.#zone === "UTC" && o.timeZoneName === "long" ? "Coordinated Universal Time" : this.#zone); }
      return parts;
    }
    format(date) { return this.formatToParts(date).map((p) => p.value).join(""); }
    formatRange(a, b) { const x = this.format(a), y = this.format(b); return x === y ? x : x + " – " + y; }
    resolvedOptions() {
      const o = this.#o, out = {locale: this.#locale, calendar: "gregory", numberingSystem: "latn", timeZone: this.#zone};
      for (const k of ["hourCycle", "hour12", "weekday", "year", "month", "day", "hour", "minute", "second", "timeZoneName", "dateStyle", "timeStyle"]) if (o[k] !== undefined) out[k] = o[k];
      return out;
    }
  }
  class Collator {
    #o; #locale;
    constructor(locales, o = {}) { this.#locale = localeOf(locales); this.#o = o; this.compare = this.compare.bind(this); }
    compare(a, b) {
      a = String(a); b = String(b);
      const fold = (s) => { s = s.normalize("NFD"); return this.#o.sensitivity === "base" ? s.replace(/[\u0300-\u036f]/g, "").toLowerCase() : this.#o.sensitivity === "accent" ? s.toLowerCase() : s; };
      a = fold(a); b = fold(b);
      if (this.#o.numeric) {
        const x = a.match(/\d+|\D+/g) || [], y = b.match(/\d+|\D+/g) || [];
        for (let i = 0; i < x.length && i < y.length; i++) {
          const c = /\d/.test(x[i]) && /\d/.test(y[i]) ? Math.sign(x[i] - y[i]) : x[i].localeCompare(y[i]);
          if (c) return c < 0 ? -1 : 1;
        }
        return Math.sign(x.length - y.length);
      }
      return Math.sign(a.localeCompare(b));
    }
    resolvedOptions() { return {locale: this.#locale, usage: "sort", sensitivity: "variant", ignorePunctuation: false, collation: "default", numeric: false, caseFirst: "false", ...this.#o}; }
  }
  class PluralRules {
    #o; #locale;
    constructor(locales, o = {}) { this.#locale = localeOf(locales); this.#o = {type: "cardinal", ...o}; }
    select(n) {
      n = Number(n);
      if (this.#o.type !== "ordinal") return n === 1 ? "one" : "other";
      const t = n % 10, h = n % 100;
      return t === 1 && h !== 11 ? "one" : t === 2 && h !== 12 ? "two" : t === 3 && h !== 13 ? "few" : "other";
    }
    resolvedOptions() { return {locale: this.#locale, ...this.#o}; }
  }
  class ListFormat {
    #o; #locale;
    constructor(locales, o = {}) { this.#locale = localeOf(locales); this.#o = {type: "conjunction", style: "long", ...o}; }
    format(items) {
      const l = [...items], word = this.#o.type === "disjunction" ? "or" : this.#o.type === "unit" ? "" : "and";
      if (!word) return l.join(", ");
      return l.length < 2 ? l.join("") : l.length === 2 ? l[0] + " " + word + " " + l[1] : l.slice(0, -1).join(", ") + ", " + word + " " + l[l.length - 1];
    }
    resolvedOptions() { return {locale: this.#locale, ...this.#o}; }
  }
  class RelativeTimeFormat {
    #o; #locale;
    constructor(locales, o = {}) { this.#locale = localeOf(locales); this.#o = {style: "long", numeric: "always", ...o}; }
    format(n, unit) {
      n = Number(n); unit = String(unit).replace(/s$/, "");
      if (!["second", "minute", "hour", "day", "week", "month", "quarter", "year"].includes(unit)) throw new RangeError("Invalid unit argument for format() '" + unit + "'");
      if (this.#o.numeric === "auto") {
        if (unit === "day" && Math.abs(n) <= 1) return ["yesterday", "today", "tomorrow"][n + 1];
        if (unit === "second" && n === 0) return "now";
        if (Math.abs(n) <= 1 && unit !== "second") { if (n === 0) return "this " + unit; if (!["minute", "hour"].includes(unit)) return (n < 0 ? "last " : "next ") + unit; }
      }
      const many = new NumberFormat().format(Math.abs(n)) + " " + unit + (Math.abs(n) === 1 ? "" : "s");
      return n < 0 || Object.is(n, -0) ? many + " ago" : "in " + many;
    }
    resolvedOptions() { return {locale: this.#locale, numberingSystem: "latn", ...this.#o}; }
  }
  class Segmenter {
    #o; #locale;
    constructor(locales, o = {}) { this.#locale = localeOf(locales); this.#o = {granularity: "grapheme", ...o}; }
    segment(input) {
      input = String(input);
      const by = {grapheme: /[\uD800-\uDBFF][\uDC00-\uDFFF][\u0300-\u036f\u200d\ufe0f]*|[^][\u0300-\u036f\u200d\ufe0f]*/g, word: /[A-Za-z0-9_'\u00aa-\u02af\u0370-\u1fff\u3040-\uffdc]+|[^]/g, sentence: /[^.!?]+[.!?]*\s*|[.!?]+\s*/g}[this.#o.granularity];
      const words = this.#o.granularity === "word";
      return {*[Symbol.iterator]() { for (const m of input.matchAll(by)) yield {segment: m[0], index: m.index, input, ...(words ? {isWordLike: /[A-Za-z0-9\u00aa-\u02af\u0370-\u1fff\u3040-\uffdc]/.test(m[0])} : {})}; }};
    }
    resolvedOptions() { return {locale: this.#locale, ...this.#o}; }
  }
  const Intl = {};
  polyfill(Intl, {getCanonicalLocales(l) { return canonical(l); }, supportedValuesOf() { return []; }});
  for (const C of [Collator, PluralRules, ListFormat, RelativeTimeFormat, Segmenter, NumberFormat, DateTimeFormat]) {
    service(C);
    const value = C === NumberFormat || C === DateTimeFormat || C === Collator ? called(C) : C;
    Object.defineProperty(C.prototype, "constructor", {value, writable: true, configurable: true});
    Object.defineProperty(Intl, C.name, {value, writable: true, configurable: true});
  }
  Object.defineProperty(Intl, Symbol.toStringTag, {value: "Intl", configurable: true});
  return {Intl, NumberFormat, DateTimeFormat};
}
