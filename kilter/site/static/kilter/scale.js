// The live scale's own page: what it shows, as the bench would see it.
document.addEventListener("alpine:init", () => {
  Alpine.data("scale", () => ({
    big: "0",
    word: "",
    init() {
      setInterval(() => this.look(), 300);
    },
    async look() {
      try {
        const said = await (await fetch(this.$root.dataset.live, { cache: "no-store", credentials: "omit" })).json();
        this.big = said.problem ? "—" : said.text;
        this.word = said.problem || said.word || "at rest";
      } catch {
        this.word = "There is no answer from Kilter.";
      }
    },
  }));
});
