// How a system is reached, in words.

import type { Api } from '../api/call'

type Connector = Api['Connector']

/** Kinds of systems, in words. */
export const KINDS: Record<Connector['kind'], string> = {
  postgres: 'PostgreSQL',
  brightwater: 'Brightwater',
  fathom: 'Fathom',
  linux: 'Linux host',
  ldap: 'LDAP directory',
  described: 'Described system',
}

/** `PostgreSQL at 10.0.0.3:5432`. */
export function whereIs(connector: Connector): string {
  if (connector.kind === 'described') {
    const address = /^address *= *"(.*)"/m.exec(connector.form)?.[1]
    return address ? `${KINDS.described} at ${address}` : KINDS.described
  }
  const at =
    connector.kind === 'brightwater' || connector.kind === 'fathom' || connector.kind === 'ldap'
      ? connector.url
      : `${connector.host}:${connector.port}`
  return `${KINDS[connector.kind]} at ${at}`
}
