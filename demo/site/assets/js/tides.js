import { clock, metres } from "./format.js";

const box = document.querySelector("[data-tides]");
fetch("/data/tides.json")
  .then((answer) => answer.json())
  .then(({ harbours }) => {
    box.replaceChildren();
    for (const harbour of harbours) {
      const table = document.createElement("table");
      table.createCaption().textContent = harbour.name;
      const body = table.createTBody();
      for (const tide of harbour.tides) {
        const row = body.insertRow();
        for (const text of [tide.high ? "High water" : "Low water", clock(tide.at), metres(tide.height)]) row.insertCell().textContent = text;
      }
      box.append(table);
    }
  });
