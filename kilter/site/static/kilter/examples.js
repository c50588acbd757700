// What each choice of the household's changes, shown as it is made.
function show(field) {
  const chosen = field.type === "checkbox" ? (field.checked ? "on" : "") : field.value;
  for (const one of document.querySelectorAll(`[data-example="${CSS.escape(field.id)}"] [data-when]`))
    one.hidden = one.dataset.when !== chosen;
  for (const clock of document.querySelectorAll(`[data-clock="${CSS.escape(field.id)}"]`)) {
    clock.textContent = new Date().toLocaleTimeString("en-GB", {
      hour: "2-digit",
      minute: "2-digit",
      timeZone: field.value,
    });
  }
}
document.addEventListener("change", ({ target }) => {
  if (target.id) show(target);
});
// What the browser put back into the form, or a draft, is shown too.
document.addEventListener("DOMContentLoaded", () => {
  for (const field of document.querySelectorAll(".settings :is(select, input[type=checkbox])")) show(field);
});
