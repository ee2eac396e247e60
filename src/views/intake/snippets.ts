/** How to point something at an address, as text to be copied. */
export interface Snippet {
  readonly name: string;
  readonly about: string;
  readonly text: string;
}

const VARIABLES = (address: string) => `export OTEL_EXPORTER_OTLP_ENDPOINT=${address}
export OTEL_EXPORTER_OTLP_PROTOCOL=http/protobuf
export OTEL_SERVICE_NAME=your-service
export OTEL_RESOURCE_ATTRIBUTES=service.version=1.0.0,deployment.environment.name=production
export OTEL_LOGS_EXPORTER=otlp OTEL_METRICS_EXPORTER=otlp`;

/** The set-up for the common OpenTelemetry SDKs and the collector. @param address of this application, without a slash at its end */
export function snippetsFor(address: string): Snippet[] {
  const variables = VARIABLES(address);
  return [
    {
      name: 'Node.js',
      about: 'npm install @opentelemetry/api @opentelemetry/auto-instrumentations-node',
      text: `${variables}\nnode --require @opentelemetry/auto-instrumentations-node/register server.js`,
    },
    {
      name: 'Java',
      about: 'with opentelemetry-javaagent.jar beside the application',
      text: `${variables}\njava -javaagent:opentelemetry-javaagent.jar -jar application.jar`,
    },
    {
      name: 'Python',
      about: 'pip install opentelemetry-distro opentelemetry-exporter-otlp, then opentelemetry-bootstrap -a install',
      text: `${variables}\nopentelemetry-instrument python application.py`,
    },
    {
      name: 'Go',
      about: 'go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp reads the same variables',
      text: `${variables}

exporter, err := otlptracehttp.New(ctx)
provider := trace.NewTracerProvider(trace.WithBatcher(exporter))
otel.SetTracerProvider(provider)`,
    },
    {
      name: '.NET',
      about: 'with the packages OpenTelemetry.Extensions.Hosting and OpenTelemetry.Exporter.OpenTelemetryProtocol',
      text: `${variables}

builder.Services.AddOpenTelemetry()
    .WithTracing(tracing => tracing.AddAspNetCoreInstrumentation().AddHttpClientInstrumentation())
    .UseOtlpExporter();`,
    },
    {
      name: 'Collector',
      about: 'in the configuration of an OpenTelemetry collector that gathers what others send',
      text: `exporters:
  otlphttp/lantern:
    endpoint: ${address}
    compression: gzip
    retry_on_failure:
      enabled: true
service:
  pipelines:
    traces:
      receivers: [otlp]
      exporters: [otlphttp/lantern]
    logs:
      receivers: [otlp]
      exporters: [otlphttp/lantern]
    metrics:
      receivers: [otlp]
      exporters: [otlphttp/lantern]`,
    },
    {
      name: 'By hand',
      about: 'one span, to see that the way is open',
      text: `now=$(date +%s)
curl -s ${address}/v1/traces -H 'content-type: application/json' -d '{"resourceSpans":[{"resource":{"attributes":[
  {"key":"service.name","value":{"stringValue":"by-hand"}}]},"scopeSpans":[{"spans":[{
  "traceId":"'$(od -An -N16 -tx1 /dev/urandom | tr -d ' \\n')'","spanId":"'$(od -An -N8 -tx1 /dev/urandom | tr -d ' \\n')'",
  "name":"hello","kind":2,"startTimeUnixNano":"'$now'000000000","endTimeUnixNano":"'$now'250000000"}]}]}]}'`,
    },
  ];
}
