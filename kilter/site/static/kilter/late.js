// Lines of a guest whose link was ended while they waited here: they go to the owners, signed by what the link gave
// this device.
const BATCH = 50;
function tokens() {
  try {
    return JSON.parse(localStorage.getItem("kilter-guest") ?? "{}");
  } catch {
    return {};
  }
}
function remember(who, token) {
  localStorage.setItem("kilter-guest", JSON.stringify({ ...tokens(), [who]: token }));
}
// The bench's stores, where there are any: nothing is made here.
function stores() {
  return new Promise((resolve) => {
    const asked = indexedDB.open("kilter", 1);
    asked.onsuccess = () => resolve(asked.result);
    asked.onupgradeneeded = () => asked.transaction.abort();
    asked.onerror = () => resolve(null);
  });
}
function within(db, name, mode, work) {
  return new Promise((resolve, reject) => {
    const change = db.transaction(name, mode);
    const asked = work(change.objectStore(name));
    change.oncomplete = () => resolve(asked?.result);
    change.onerror = change.onabort = () => reject(change.error);
  });
}
async function sendOf(db, name, guest, who) {
  const entries = (await within(db, name, "readonly", (kept) => kept.getAll())).filter((entry) => entry.who === who);
  for (let at = 0; at < entries.length; at += BATCH) {
    const lines = entries.slice(at, at + BATCH);
    const answer = await fetch("/weigh-in/late/send", {
      method: "POST",
      credentials: "omit",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ guest, lines: lines.map(({ event, words }) => ({ event, words })) }),
    });
    if (!answer.ok) return 0;
    const kept = new Set((await answer.json()).kept);
    const gone = lines.filter(({ event }) => kept.has(event.client_id));
    await within(db, name, "readwrite", (store) => {
      for (const { seq } of gone) store.delete(seq);
    });
    if (gone.length < lines.length) break;
  }
  return entries.length;
}
async function send() {
  const guests = Object.entries(tokens());
  if (!guests.length) return 0;
  const db = await stores();
  if (!db) return 0;
  let sent = 0;
  for (const [who, guest] of guests) for (const name of db.objectStoreNames) sent += await sendOf(db, name, guest, who);
  db.close();
  return sent;
}
document.addEventListener("DOMContentLoaded", () => {
  const known = document.querySelector('input[name="known"]');
  if (known) known.value = JSON.stringify(Object.values(tokens()).slice(-20));
  const bench = document.querySelector("[data-guest]");
  if (bench?.dataset.guest) remember(bench.dataset.who, bench.dataset.guest);
  else if (document.body.dataset.who === "") {
    send()
      .then((sent) => {
        const said = document.getElementById("late-sent");
        if (sent && said)
          said.textContent = `${sent} line${sent === 1 ? "" : "s"} that waited on this device ${sent === 1 ? "was" : "were"} sent to the household, to be kept or left out.`;
      })
      .catch(() => {
        /* they stay here, and go another time */
      });
  }
});
export { send };
