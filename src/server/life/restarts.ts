/** How often the start command had to start these again, as it told this process at its start. */
export function restartsSoFar(environment: NodeJS.ProcessEnv = process.env): {
  readonly application: number;
  readonly database: number;
} {
  const { application = 0, database = 0 } = JSON.parse(environment.DUSK_RESTARTS || '{}') as Partial<Record<string, number>>;
  return { application, database };
}
