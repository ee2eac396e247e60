/** A table of a database of the company, and its indexes beside those that its statements find rows by. */
export interface Table {
  readonly name: string;
  readonly rows: number;
  readonly indexes: readonly TableIndex[];
}

export interface TableIndex {
  readonly name: string;
  readonly megabytes: number;
  /** Whether it keeps values unique. */
  readonly unique: boolean;
}

const unique = (name: string, megabytes: number): TableIndex => ({ name, megabytes, unique: true });
const plain = (name: string, megabytes: number): TableIndex => ({ name, megabytes, unique: false });

/** The tables that statements are about, by database. Some indexes are left from what nobody asks any more. */
export const TABLES: Readonly<Record<string, readonly Table[]>> = {
  'account-db': [
    { name: 'session', rows: 410_000, indexes: [unique('session_pkey', 38), plain('session_user_id_idx', 14)] },
    { name: 'account', rows: 96_000, indexes: [unique('account_pkey', 3), unique('account_handle_key', 6)] },
  ],
  'sailing-db': [
    {
      name: 'sailing',
      rows: 88_000,
      indexes: [unique('sailing_pkey', 3), plain('sailing_route_departs_at_idx', 5), plain('sailing_state_idx', 2)],
    },
    { name: 'vessel', rows: 24, indexes: [unique('vessel_pkey', 1)] },
    {
      name: 'deck_slot',
      rows: 2_300_000,
      indexes: [unique('deck_slot_pkey', 72), plain('deck_slot_sailing_id_idx', 58), plain('deck_slot_taken_by_idx', 41)],
    },
    { name: 'sailing_occupancy', rows: 640_000, indexes: [unique('sailing_occupancy_pkey', 20)] },
  ],
  'manifest-db': [
    { name: 'manifest', rows: 88_000, indexes: [unique('manifest_pkey', 3), unique('manifest_sailing_id_key', 3)] },
    {
      name: 'passenger',
      rows: 5_100_000,
      indexes: [unique('passenger_pkey', 160), plain('passenger_manifest_id_idx', 120), plain('passenger_name_idx', 190)],
    },
    { name: 'vehicle', rows: 1_400_000, indexes: [unique('vehicle_pkey', 44), plain('vehicle_manifest_id_idx', 33)] },
    { name: 'reservation', rows: 610_000, indexes: [unique('reservation_pkey', 19)] },
    { name: 'booking', rows: 2_200_000, indexes: [unique('booking_pkey', 70), unique('booking_ref_key', 92)] },
    { name: 'crew_member', rows: 1_900, indexes: [unique('crew_member_pkey', 1), plain('crew_member_vessel_id_idx', 1)] },
    { name: 'watch', rows: 31_000, indexes: [plain('watch_vessel_id_idx', 1)] },
    { name: 'ledger_entry', rows: 9_800_000, indexes: [unique('ledger_entry_pkey', 310)] },
  ],
};
