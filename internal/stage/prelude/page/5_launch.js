// What an app is told that was opened by a file, a link or its icon (Manifest Incubations, "launch queue"; File System).
const opened = new $WeakMap(); // of handles: the file
$Object.setPrototypeOf(web.FileSystemFileHandle.prototype, web.FileSystemHandle.prototype);
getter(web.FileSystemHandle.prototype, "kind", () => "file");
getter(web.FileSystemHandle.prototype, "name", function () { return opened.get(this).name; });
for (const k of ["queryPermission", "requestPermission"]) method(web.FileSystemHandle.prototype, k, async () => "granted");
method(web.FileSystemHandle.prototype, "isSameEntry", async function (other) { return this === other; });
method(web.FileSystemFileHandle.prototype, "getFile", async function () { $.launched("read"); return later(() => opened.get(this)); });
method(web.FileSystemFileHandle.prototype, "createWritable", async () => $Object.assign(new WritableStream(), {async write() {}, async seek() {}, async truncate() {}}));

const launches = new $WeakMap();
web.LaunchParams = illegal("LaunchParams");
for (const k of ["targetURL", "files"]) getter(web.LaunchParams.prototype, k, function () { return launches.get(this)[k]; });
class LaunchQueue {
  constructor() { if (!trust) throw new $TypeError("Illegal constructor"); }
  setConsumer(consumer) {
    if (typeof consumer !== "function") throw new $TypeError("Failed to execute 'setConsumer' on 'LaunchQueue': parameter 1 is not of type 'Function'.");
    const by = $.launched("heard");
    if (!by) return;
    const files = [];
    if (by.name) {
      const h = {__proto__: web.FileSystemFileHandle.prototype};
      opened.set(h, new File([by.data], by.name, {type: by.type}));
      files.push(h);
    }
    const params = {__proto__: web.LaunchParams.prototype};
    launches.set(params, {targetURL: by.url, files: $Object.freeze(files)});
    $.task(() => { try { consumer(params); } catch (e) { report("launch", e); } });
  }
}
web.LaunchQueue = LaunchQueue;
webValues.launchQueue = makeTrusted(() => new LaunchQueue());
