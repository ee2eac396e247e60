import { BlockList, isIP } from 'node:net';

/** Ranges that are no part of the public network: what lies there is reached by being inside, which a webhook is not to lend to anybody. */
const NOT_PUBLIC = [
  '0.0.0.0/8',
  '10.0.0.0/8',
  '100.64.0.0/10',
  '127.0.0.0/8',
  '169.254.0.0/16',
  '172.16.0.0/12',
  '192.0.0.0/24',
  '192.0.2.0/24',
  '192.168.0.0/16',
  '198.18.0.0/15',
  '198.51.100.0/24',
  '203.0.113.0/24',
  '224.0.0.0/4',
  '240.0.0.0/4',
  '::/128',
  '::1/128',
  '64:ff9b::/96',
  '64:ff9b:1::/48',
  '100::/64',
  '2001::/23',
  '2001:db8::/32',
  '2002::/16',
  'fc00::/7',
  'fe80::/10',
  'fec0::/10',
  'ff00::/8',
];

/** Ranges of addresses. @throws Error that names what is none, such as `10.0.0.0/8` */
export function rangesOf(texts: readonly string[]): BlockList {
  const list = new BlockList();
  for (const text of texts) {
    const [address, bits] = text.split('/');
    const version = isIP(address);
    const prefix = bits === undefined ? (version === 6 ? 128 : 32) : Number(bits);
    if (version === 0 || !Number.isInteger(prefix) || prefix < 0 || prefix > (version === 6 ? 128 : 32))
      throw new Error(`${text} is not a range of addresses, such as 10.0.0.0/8`);
    list.addSubnet(address, prefix, version === 6 ? 'ipv6' : 'ipv4');
  }
  return list;
}

const notPublic = rangesOf(NOT_PUBLIC);

/** Whether a webhook may be called at an address: a public one, or one that the operator has allowed. */
export function isReachable(address: string, allowed: BlockList): boolean {
  // An address of IPv4 inside one of IPv6 is what it is inside.
  const inner = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1] ?? address;
  const version = isIP(inner);
  if (version === 0) return false;
  const family = version === 6 ? 'ipv6' : 'ipv4';
  return allowed.check(inner, family) || !notPublic.check(inner, family);
}
