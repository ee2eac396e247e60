import Bowser from 'bowser';

/** Longer ones are nobody's. */
const LONGEST = 400;
const DEVICES: Readonly<Record<string, string>> = { desktop: 'desk', mobile: 'phone', tablet: 'tablet', tv: 'screen' };

/** Browser, device and system as far as a browser's own words tell: a family and its main version, nothing that tells persons apart. */
export function visitorOf(userAgent: string): { browser?: string; device?: string; os?: string } {
  if (userAgent === '' || userAgent.length > LONGEST) return {};
  const { browser, os, platform } = Bowser.parse(userAgent);
  const named = (name: string | undefined, version: string | undefined) =>
    [name, version?.split('.')[0]].filter(Boolean).join(' ');
  return {
    ...(browser.name && { browser: named(browser.name, browser.version) }),
    ...(platform.type && { device: DEVICES[platform.type] ?? platform.type }),
    ...(os.name && { os: named(os.name, os.versionName ? undefined : os.version) }),
  };
}
