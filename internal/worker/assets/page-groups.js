
  // ---- Groups of files that a visitor can keep
  //   <button data-app-keep="GROUP">   a click stores the group, another one stops that or removes it; its data-state says "none", "working"
  //                                    or "whole", its data-count and data-of how many files
  // Event "app-keep": group, stored, files, whole. A page asks by an event "app-keep-ask" with detail {name, what: "keep", "cancel",
  // "remove" or "look"}.
  const groups = {};
  parts.push({
    draw: () => each("keep", ({ dataset }) => {
      const name = dataset.appKeep, known = groups[name];
      if (!known && say({ tachyform: "group", name, what: "look" }) !== null) groups[name] = {};
      const { stored = 0, files = 0, state = "none" } = known || {};
      Object.assign(dataset, { state, count: stored, of: files });
    }),
    hear: (data) => {
      if (!data.group) return;
      groups[data.group] = { ...data, state: data.whole ? "whole" : data.working ? "working" : "none" };
      tell("app-keep", data);
    },
  });
  document.addEventListener("click", ({ target }) => {
    const button = target.closest && target.closest("[data-app-keep]");
    if (button) say({ tachyform: "group", name: button.dataset.appKeep, what: { working: "cancel", whole: "remove" }[button.dataset.state] || "keep" });
  });
  addEventListener("app-keep-ask", ({ detail }) => say({ tachyform: "group", ...detail }));
