import { spawnSync } from 'node:child_process';
import { type SystemUser, userNamed } from './systemUser.ts';

/** Whom the application runs as when root starts it. */
const NAME = 'dusk-lantern';
/** Ports below this are opened by root alone. */
const FIRST_FREE_PORT = 1024;

/** Whom the application is to run as: somebody else than root; or why it cannot be. */
export type ApplicationUser = { readonly user: SystemUser | undefined } | { readonly asRoot: string };

/**
 * Whom to run the application as. Whoever is not root stays who they are. For root it is a user of its own, made when there is none, who
 * can read what the application needs and write nothing but its own folder.
 *
 * @param program a file of the application that the user has to be able to read
 * @param folder where the data lies
 */
export function applicationUser(port: number, program: string, folder: string): ApplicationUser {
  if (process.getuid?.() !== 0) return { user: undefined };
  if (port < FIRST_FREE_PORT) return { asRoot: `ports below ${FIRST_FREE_PORT} are opened by root alone; put a proxy before it` };
  const user = userNamed(NAME) ?? made();
  if (!user) return { asRoot: `there is no user ${NAME}, and none could be made` };
  for (const [path, flag] of [
    [program, '-r'],
    [folder, '-x'],
  ])
    if (spawnSync('/usr/bin/test', [flag, path], { ...user, stdio: 'ignore' }).status !== 0)
      return { asRoot: `the user ${NAME} cannot read ${path}` };
  if (spawnSync(process.execPath, ['--version'], { ...user, stdio: 'ignore' }).status !== 0)
    return { asRoot: `the user ${NAME} cannot run ${process.execPath}` };
  return { user };
}

function made(): SystemUser | undefined {
  const args = [
    '--system',
    '--user-group',
    '--no-create-home',
    '--home-dir',
    '/nonexistent',
    '--shell',
    '/usr/sbin/nologin',
    NAME,
  ];
  // Two that start at once: one of them makes it, both find it.
  spawnSync('useradd', args, { stdio: 'ignore' });
  return userNamed(NAME);
}
