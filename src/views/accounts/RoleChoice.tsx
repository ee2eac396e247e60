import { ROLES, type Role } from '../../core/accounts/role.ts';

interface RoleChoiceProps {
  readonly label: string;
  /** Whether the label is for those alone who do not see the table around it. */
  readonly isLabelUnseen?: boolean;
  readonly value: Role;
  readonly set: (role: Role) => void;
  /** Roles to choose from; all by default. */
  readonly among?: readonly Role[];
}

export function RoleChoice({ label, isLabelUnseen, value, set, among = ROLES }: RoleChoiceProps) {
  return (
    <label>
      <span className={isLabelUnseen ? 'unseen' : undefined}>{label}</span>
      <select value={value} onChange={(event) => set(event.currentTarget.value as Role)}>
        {among.map((it) => (
          <option key={it}>{it}</option>
        ))}
      </select>
    </label>
  );
}
