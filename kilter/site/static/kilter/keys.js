// Whether letters act, and whether one is being typed into a field.
export const lettersOn = () => localStorage.getItem("kilter-letters") !== "off";
export const inField = (event) =>
  event.target.closest("input:not([type=checkbox], [type=radio]), select, textarea, [contenteditable]") !== null;
