/** What the page says about itself, in attributes of the script's element. */
export interface SnippetSettings {
  /** The write-only key of the site. */
  readonly site: string;
  /** Where the script came from: what is told is sent there. */
  readonly door: string;
  readonly release: string;
  readonly region: string;
  /** `ask`: nothing is kept or sent before the visitor has said yes. */
  readonly consent: 'given' | 'ask';
  /** The share of visits that are told. */
  readonly sample: number;
  /** Hosts beside the page's that are the company's own. */
  readonly own: readonly string[];
  /** Origins beside the page's that take a `traceparent`. */
  readonly trace: readonly string[];
}

const KEY = /^[\w-]{8,64}$/;

/** Reads the attributes of the script's element; undefined when it has no key. */
export function settingsOf(script: HTMLScriptElement): SnippetSettings | undefined {
  const { site = '', release = '', region = '', consent = '', sample = '', own = '', trace = '' } = script.dataset;
  if (!KEY.test(site)) return undefined;
  const list = (text: string) => text.split(/[\s,]+/).filter(Boolean);
  const share = Number(sample);
  return {
    site,
    door: `${new URL(script.src, location.href).origin}/v1/visits/${site}`,
    release,
    region,
    consent: consent === 'ask' ? 'ask' : 'given',
    sample: sample !== '' && share >= 0 && share <= 1 ? share : 1,
    own: list(own),
    trace: list(trace),
  };
}
