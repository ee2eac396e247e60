export * from './blocks.ts';
export * from './dictionaries.ts';
export * from './events.ts';
export * from './incidents.ts';
export * from './logs.ts';
export * from './metrics.ts';
export * from './profiles.ts';
export * from './traces.ts';
