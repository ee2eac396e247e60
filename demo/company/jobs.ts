/** What runs on hosts by itself: when, and for how long. Minutes count from a whole hour or, for daily ones, are said in words only. */
export interface HostJob {
  readonly name: string;
  readonly schedule: string;
  readonly command: string;
  /** Every so many minutes; undefined for what an incident or the everyday list starts. */
  readonly everyMinutes?: number;
  readonly seconds: number;
}

export const HOST_JOBS: readonly HostJob[] = [
  { name: 'backup-all', schedule: 'once a day', command: '/opt/reach/backup --all-disks', seconds: 2_400 },
  { name: 'log-turn', schedule: 'each hour', command: '/usr/sbin/logrotate /etc/logrotate.conf', everyMinutes: 60, seconds: 4 },
  { name: 'clock-check', schedule: 'each 10 min', command: '/opt/reach/clock-check', everyMinutes: 10, seconds: 0.2 },
];
