export const clock = (minutes) =>
  String(Math.floor(minutes / 60) % 24).padStart(2, "0") + ":" + String(Math.round(minutes) % 60).padStart(2, "0");

export const metres = (height) => height.toFixed(1) + " m";
