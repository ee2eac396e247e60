import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { billOf } from '../../../demo/company/images.ts';
import { NoBill, readBill } from './bill.ts';

describe('a bill of materials', () => {
  it('in CycloneDX gives parts, weaknesses and what was assessed of them', () => {
    const { image, parts, weaknesses } = readBill(billOf('registry.example/manifests:7.0.4', 'manifests', '7.0.4', 'java'));
    expect(image).toBe('registry.example/manifests:7.0.4');
    expect(parts.map(({ name }) => name)).toContain('skerry-log');
    expect(weaknesses.find(({ id }) => id === 'OR-2026-0117')).toMatchObject({
      part: 'sedge-tls 3.1.2',
      severity: 'critical',
      score: 9.8,
      state: 'affected',
    });
    expect(weaknesses.find(({ id }) => id === 'OR-2026-0140')).toMatchObject({
      state: 'not affected',
      why: 'the look-up is switched off',
    });
  });

  it('in SPDX gives the container and its packages', () => {
    const packages = [
      { SPDXID: 'SPDXRef-i', name: 'registry.example/jetty', versionInfo: '1.2', primaryPackagePurpose: 'CONTAINER' },
      {
        SPDXID: 'SPDXRef-a',
        name: 'reed',
        versionInfo: '3',
        externalRefs: [{ referenceType: 'purl', referenceLocator: 'pkg:generic/reed@3' }],
      },
    ];
    const bill = readBill(JSON.stringify({ spdxVersion: 'SPDX-2.3', name: 'jetty', packages }));
    expect(bill).toMatchObject({
      image: 'registry.example/jetty:1.2',
      parts: [{ name: 'reed', version: '3', purl: 'pkg:generic/reed@3' }],
    });
  });

  it('in OpenVEX, and in CycloneDX without an image, gives statements', () => {
    const vex = {
      '@context': 'https://openvex.dev/ns/v0.2.0',
      statements: [
        {
          vulnerability: { name: 'OR-1' },
          products: [{ '@id': 'registry.example/jetty:1.2' }],
          status: 'not_affected',
          justification: 'code_not_present',
        },
      ],
    };
    expect(readBill(JSON.stringify(vex)).statements).toEqual([
      { weakness: 'OR-1', products: ['registry.example/jetty:1.2'], state: 'not affected', why: 'code_not_present' },
    ]);
    const assessment = {
      bomFormat: 'CycloneDX',
      specVersion: '1.6',
      vulnerabilities: [{ id: 'OR-2', affects: [{ ref: 'pkg:generic/reed@3' }], analysis: { state: 'in_triage' } }],
    };
    expect(readBill(JSON.stringify(assessment))).toMatchObject({
      image: '',
      weaknesses: [],
      statements: [{ weakness: 'OR-2', products: ['pkg:generic/reed@3'], state: 'looked into' }],
    });
  });

  it('that is none is refused in words', () => {
    expect(() => readBill('{')).toThrow(NoBill);
    expect(() => readBill('{"a":1}')).toThrow(/neither CycloneDX/);
    expect(() => readBill('{"bomFormat":"CycloneDX","components":"many"}')).toThrow(/CycloneDX: components/);
    expect(() => readBill(readFileSync('package.json', 'utf8'))).toThrow(NoBill);
  });
});
