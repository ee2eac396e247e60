import type { RequestSeries } from '../../api/requests/series.ts';
import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { IncidentsPage } from './IncidentsPage.tsx';

export default function IncidentsIsland({ start, series }: { start: IslandStart; series: RequestSeries | undefined }) {
  return (
    <Island start={start}>
      <IncidentsPage start={start} series={series} />
    </Island>
  );
}
