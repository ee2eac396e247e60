import { useIntersection } from '@mantine/hooks';
import { type ReactNode, useRef } from 'react';

interface WhenNearProps {
  /** Pixels that are kept free until it is drawn. */
  readonly height: number;
  readonly children: ReactNode;
}

/** Draws what takes long to draw once it comes into view: a page of thirty charts is read from its top. */
export function WhenNear({ height, children }: WhenNearProps) {
  const { ref, entry } = useIntersection({ rootMargin: '200px' });
  const wasSeen = useRef(false);
  if (entry?.isIntersecting) wasSeen.current = true;
  return (
    <div ref={ref} style={{ position: 'relative', minHeight: height }}>
      {wasSeen.current && children}
    </div>
  );
}
