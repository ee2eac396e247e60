import { z } from 'zod';
import { ApiError, type Asked, errorAnswer } from '../endpoint.ts';

/** Answers with the JSON schema of a file. Nothing can be asked for. */
export function schemaAnswer(schema: z.ZodType): (asked: Asked) => Response {
  return ({ url }) => {
    const [name] = [...url.searchParams.keys()];
    if (name !== undefined) return errorAnswer(new ApiError(400, `${name.slice(0, 100)}: a schema takes no parameters`));
    return Response.json(z.toJSONSchema(schema, { io: 'input' }));
  };
}
