/**
 * The header by which what runs beside the application, or sends to it, says who it is: the token in the environment as DUSK_TOKEN, since
 * what stands in a command can be read by others. Empty where none is set: without accounts none is asked for.
 */
export function tokenHeader(): Record<string, string> {
  const { DUSK_TOKEN: token } = process.env;
  return token ? { authorization: `Bearer ${token}` } : {};
}
