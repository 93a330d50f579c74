/** Text that cannot become markup. */
export const markupFree = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** One of the small pages on which a stand-in shows what came. */
export function page(title: string, about: string, body: string, refreshSeconds = 2): string {
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${markupFree(title)}</title>
<meta http-equiv="refresh" content="${refreshSeconds}"><meta name="viewport" content="width=device-width">
<style>
body{font:16px/1.5 system-ui,sans-serif;max-width:52rem;margin:2rem auto;padding:0 1rem;background:#F7F5F0;color:#1D2420}
h1{font-size:1.4rem;margin:0}p.about{color:#5F655F;margin:.2rem 0 1.5rem}
article{border-top:1px solid #DDD8CC;padding:.8rem 0}time{font-variant-numeric:tabular-nums;color:#5F655F}
pre{white-space:pre-wrap;font-size:.85rem;margin:.4rem 0}img{max-width:20rem;display:block;border-radius:4px}
.repeat{color:#96240F}.lamp{width:7rem;height:7rem;border-radius:50%;background:#2A322E;margin:1rem 0}.lamp.on{background:#F2C94C;box-shadow:0 0 3rem #F2C94C}
button{font:inherit;padding:.3rem .9rem;border:1px solid #2C6E5D;background:none;color:#2C6E5D;border-radius:4px;cursor:pointer}
</style></head><body><h1>${markupFree(title)}</h1><p class="about">${markupFree(about)}</p>${body}</body></html>`;
}

/** How often each key came: more than once is a repeat, which a receiver may drop. */
export class Repeats {
  private readonly counts = new Map<string, number>();

  /** Counts one arrival of a key and says how many there are now. */
  count(key: string): number {
    const now = (this.counts.get(key) ?? 0) + 1;
    this.counts.set(key, now);
    return now;
  }
}
