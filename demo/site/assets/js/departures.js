import { clock } from "./format.js";

// Fills a table with departures, of one harbour or of all.
export function show(table, departures) {
  const from = table.dataset.from;
  const rows = departures.filter((d) => !from || d.from === from).slice(0, 6);
  const body = table.tBodies[0];
  body.replaceChildren();
  for (const d of rows) {
    const row = body.insertRow();
    for (const text of [clock(d.at), d.from + " to " + d.to, d.ship, d.note || "on time"]) row.insertCell().textContent = text;
  }
  if (!rows.length) body.insertRow().insertCell().textContent = "No more sailings today.";
}
