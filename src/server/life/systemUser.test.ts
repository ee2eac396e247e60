import { expect, it } from 'vitest';
import { userNamed } from './systemUser.ts';

const LIST = 'root:x:0:0:root:/root:/bin/bash\npostgres:x:104:112:PostgreSQL:/var/lib/postgresql:/bin/bash\n# postgresx\n';

it('finds a user by their whole name', () => {
  expect(userNamed('postgres', LIST)).toEqual({ uid: 104, gid: 112 });
  expect(userNamed('root', LIST)).toEqual({ uid: 0, gid: 0 });
  expect(userNamed('post', LIST)).toBeUndefined();
  expect(userNamed('', 'a:x:1:2\n')).toBeUndefined();
});
