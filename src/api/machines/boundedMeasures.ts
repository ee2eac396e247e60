import { type MachineMeasures, MeasuresTooMany } from '../../core/machines/measureColumns.ts';
import type { RawMeasure } from '../../core/machines/measures.ts';
import { machineMeasures } from '../../store/machines/machineMeasures.ts';
import { ApiError } from '../endpoint.ts';

/** The same as `machineMeasures`. @throws ApiError in words when there are too many series for so long a window */
export async function boundedMeasures(from: bigint, to: bigint, wanted?: readonly RawMeasure[]): Promise<MachineMeasures> {
  try {
    return await machineMeasures(from, to, wanted);
  } catch (error) {
    if (error instanceof MeasuresTooMany) throw new ApiError(400, error.message);
    throw error;
  }
}
