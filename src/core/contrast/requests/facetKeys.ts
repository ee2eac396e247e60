import { isRunsOnKey } from '../../requests/requestRow.ts';

/** What a request says of its own outcome: it comes of the trouble, so it explains nothing. */
const SAYS =
  /^(error\.type|exception\.type|http\.(response\.)?status_code|rpc\.(grpc\.status_code|response\.status_code)|db\.response\.status_code|otel\.status_(code|description)|http\.request\.resend_count)$/;

/** What is the same for all calls of a kind, or says again what a service runs on. */
const OF_THE_KIND =
  /^(exception|otel|telemetry|process|os|container|lantern|network|thread|code)\.|^(k8s\.(pod|container|replicaset|deployment)\.|service\.namespace$|deployment\.environment|db\.(system|operation)|url\.scheme$|server\.port$|http\.(request\.)?method$|messaging\.(system|operation)|rpc\.system)/;

/** Whether an attribute says how a request ended. */
export function isSaid(field: string): boolean {
  return SAYS.test(field);
}

/** Whether an attribute is a facet by itself. What services run on is one by service; the application's own marks are none. */
export function isContrasted(field: string): boolean {
  return !isSaid(field) && !isRunsOnKey(field) && !OF_THE_KIND.test(field);
}
