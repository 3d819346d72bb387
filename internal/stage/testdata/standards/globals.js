// What the standards expose to service workers: Service Workers, Fetch, Streams, URL, URL Pattern, Encoding, Compression, DOM,
// HTML, File API, Web Cryptography, IndexedDB, Push, Notifications, Background Synchronization, Web Locks, WebSockets.
const cases = [];
for (const name of `AbortController AbortSignal Blob BroadcastChannel ByteLengthQueuingStrategy Cache CacheStorage Client Clients CloseEvent
CompressionStream CountQueuingStrategy Crypto CryptoKey CustomEvent DOMException DecompressionStream ErrorEvent Event EventTarget
ExtendableEvent ExtendableMessageEvent FetchEvent File FileReader FormData Headers IDBCursor IDBCursorWithValue IDBDatabase IDBFactory IDBIndex
IDBKeyRange IDBObjectStore IDBOpenDBRequest IDBRequest IDBTransaction IDBVersionChangeEvent InstallEvent LockManager MessageChannel
MessageEvent MessagePort NavigationPreloadManager Notification NotificationEvent Performance PromiseRejectionEvent PushEvent
PushManager PushMessageData PushSubscription ReadableByteStreamController ReadableStream ReadableStreamBYOBReader ReadableStreamBYOBRequest
ReadableStreamDefaultController ReadableStreamDefaultReader Request Response ServiceWorker ServiceWorkerGlobalScope
ServiceWorkerRegistration StorageManager SubtleCrypto SyncEvent SyncManager TextDecoder TextDecoderStream TextEncoder TextEncoderStream
TransformStream TransformStreamDefaultController URL URLPattern URLSearchParams WebSocket WindowClient WorkerGlobalScope WorkerLocation
WorkerNavigator WritableStream WritableStreamDefaultController WritableStreamDefaultWriter
addEventListener atob btoa caches clearInterval clearTimeout clients console createImageBitmap crypto dispatchEvent fetch globalThis
importScripts indexedDB location navigator performance queueMicrotask registration removeEventListener reportError self serviceWorker
setInterval setTimeout skipWaiting structuredClone isSecureContext crossOriginIsolated origin`.split(/\s+/))
  cases.push(["there is " + name, () => name in self, true]);
for (const name of ["window", "document", "localStorage", "sessionStorage", "XMLHttpRequest", "alert", "Worker", "SharedWorker", "HTMLElement", "Image"])
  cases.push(["there is no " + name, () => name in self, false]);
cases.push(
  ["the chain of the global scope", () => self instanceof ServiceWorkerGlobalScope && self instanceof WorkerGlobalScope && self instanceof EventTarget, true],
  ["location is a WorkerLocation", () => location instanceof WorkerLocation && String(location) === location.href, true],
  ["navigator has locks and storage", () => typeof navigator.locks.request + typeof navigator.storage.estimate, "functionfunction"],
  ["locks are handed on in order", async () => { const log = []; await Promise.all(["a", "b"].map((x) => navigator.locks.request("l", async () => { log.push(x); await 0; log.push(x); }))); return log.join(""); }, "aabb"],
  ["a lock that is only tried for", async () => navigator.locks.request("m", () => navigator.locks.request("m", {ifAvailable: true}, (l) => l)), null],
  ["a file is read", () => new Promise((done) => { const r = new FileReader(); r.onload = () => done(r.result); r.readAsText(new Blob(["abc"])); }), "abc"],
  ["a file is read as data", () => new Promise((done) => { const r = new FileReader(); r.onload = () => done(r.result); r.readAsDataURL(new Blob(["a"], {type: "text/x"})); }), "data:text/x;base64,YQ=="],
  ["a class that cannot be made", () => { new ServiceWorkerRegistration(); }, "threw TypeError"],
  ["marks of performance", () => { performance.mark("a"); performance.measure("b", "a"); return performance.getEntriesByType("mark").length; }, 1],
);
