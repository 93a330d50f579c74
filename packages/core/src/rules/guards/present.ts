import type { Guard } from '@causalis/contract';
import type { GuardKind } from './contract.js';

type Wanted = NonNullable<Guard['present']>;

/** Nobody of those whose presence is known is there; or one of the members named is. */
export const presentGuard: GuardKind<Wanted> = {
  compile(wanted, { document }) {
    const known = Object.keys(document.members).filter((key) => document.members[key].presence);
    const nobody = wanted.includes('nobody');
    return {
      wanted: wanted.join(' or '),
      judge: ({ present }) => {
        const here = known.filter((member) => present(member));
        return { holds: nobody ? here.length === 0 : here.some((member) => wanted.includes(member)), saw: here.join(', ') || 'nobody' };
      },
    };
  },
  check(wanted, document, path, mustBe) {
    const known = Object.keys(document.members).filter((key) => document.members[key].presence);
    for (const member of wanted) if (member !== 'nobody') mustBe('member with presence', member, known, path);
  },
};
