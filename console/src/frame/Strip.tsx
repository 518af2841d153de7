// The strip: the palette, what I hold now, how sure the service is of me, Stop, and my menu.

import { Menu, OctagonX, Search, ShieldCheck } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import { useEffect, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { type Api, get, post } from '../api/call'
import { Button } from '../parts/buttons'
import { queries, useData, useNow } from '../parts/data'
import { isAdministrator, type Me } from '../parts/me'
import { Dialog } from '../parts/overlay'
import { chooseTheme, chosenTheme, type Theme } from '../parts/theme'
import { about, exact } from '../words/time'
import { Proof } from './Reauth'
import { Palette } from './Palette'
import { StopDialog } from './Stop'

/** How long one proof counts for most things. */
const PROOF_LASTS = 15 * 60

function Holding() {
  const now = useNow()
  const mine = useData(['elevations', 'mine'], ['elevations'], () => get('/api/v1/elevations'))
  const live = (mine.data ?? []).filter((one) => one.grant && ['opening', 'live', 'closing'].includes(one.state))
  if (live.length === 0) return <span className="hidden text-ink-3 lg:inline">You hold nothing at present</span>
  return (
    <ul aria-label="What you hold now" className="flex min-w-0 gap-1.5 overflow-x-auto py-1">
      {live.map((one) => {
        const until = new Date(one.grant?.until ?? one.asked_at)
        const left = (until.getTime() - now.getTime()) / 1000
        return (
          <li key={one.id}>
            <Link
              to={`/elevation/${one.id}`}
              title={`${one.right} until ${exact(until)}`}
              className="figures flex items-center gap-1.5 rounded-full border border-warm-fill bg-warm-soft px-2.5 py-0.5 whitespace-nowrap text-warm hover:border-warm"
            >
              <span className="h-2 w-2 rounded-full bg-warm-fill" aria-hidden="true" />
              {one.right.split('@')[0]}
              <span className="font-semibold">{one.state === 'live' ? about(left) : one.state}</span>
              <span className="sr-only">left of {one.id}</span>
            </Link>
          </li>
        )
      })}
    </ul>
  )
}

const METHOD: Record<Api['ProofMethod'], string> = { 'totp-code': 'a code', passkey: 'a passkey' }

function Assurance({ me }: { me: Me }) {
  const now = useNow()
  const [open, setOpen] = useState(false)
  const { proof } = me
  const age = proof ? (now.getTime() - new Date(proof.at).getTime()) / 1000 : undefined
  const left = age === undefined ? 0 : PROOF_LASTS - age
  return (
    <>
      <button
        type="button"
        onClick={() => setOpen(true)}
        title={
          proof ? `Last proof ${exact(new Date(proof.at))}, by ${METHOD[proof.method]}` : 'No proof in this sign-in'
        }
        className="figures flex items-center gap-1 rounded px-1.5 py-1 whitespace-nowrap text-ink-2 hover:bg-sunk hover:text-ink"
      >
        <ShieldCheck size={16} aria-hidden="true" className={left > 0 ? 'text-sure' : 'text-ink-3'} />
        <span className="sr-only sm:not-sr-only">{left > 0 ? `sure for ${about(left)}` : 'proof is old'}</span>
      </button>
      <Dialog
        open={open}
        onClose={() => setOpen(false)}
        title="How sure the service is of you"
        says={
          left > 0
            ? `You proved yourself ${about(age ?? 0)} ago${proof ? `, by ${METHOD[proof.method]}` : ''}. Most things ask for a proof within 15 minutes; asking follows each right's terms.`
            : 'Your last proof is older than 15 minutes. Give a fresh one now, or when something asks for it.'
        }
      >
        <Proof me={me} done={() => setOpen(false)} />
      </Dialog>
    </>
  )
}

const ITEM = 'flex w-full cursor-default items-center rounded px-2.5 py-1.5 outline-none data-[highlighted]:bg-sunk'

/** Light, dark, or as the system has it. */
function Themes() {
  const [theme, setTheme] = useState<Theme>(chosenTheme())
  return (
    <DropdownMenu.RadioGroup
      value={theme}
      onValueChange={(next) => {
        chooseTheme(next as Theme)
        setTheme(next as Theme)
      }}
    >
      {(['system', 'light', 'dark'] as const).map((one) => (
        <DropdownMenu.RadioItem key={one} value={one} className={ITEM} onSelect={(event) => event.preventDefault()}>
          <span className="w-5">
            <DropdownMenu.ItemIndicator>✓</DropdownMenu.ItemIndicator>
          </span>
          {one === 'system' ? 'Light or dark as the system' : one === 'light' ? 'Light' : 'Dark'}
        </DropdownMenu.RadioItem>
      ))}
    </DropdownMenu.RadioGroup>
  )
}

/** What is one's own, and the way out. */
function Mine({ me }: { me: Me }) {
  const navigate = useNavigate()
  const signOut = async () => {
    await post('/api/v1/sign-out')
    queries.clear()
    location.assign('/')
  }
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="flex items-center gap-1.5 rounded px-1.5 py-1 text-ink-2 hover:bg-sunk hover:text-ink">
        <Menu size={17} aria-hidden="true" />
        <span className="sr-only md:not-sr-only">{me.name}</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="rise z-50 min-w-60 rounded-md border border-line bg-sheet p-1.5 shadow-xl"
        >
          <DropdownMenu.Label className="px-2.5 py-1.5">
            <span className="block font-semibold">{me.about || me.name}</span>
            <span className="label">
              {me.duties
                .map((duty) => `${duty.duty} of ${duty.scope === '/' ? 'everything' : duty.scope}`)
                .join(', ') || 'no duty within Tempestas'}
            </span>
          </DropdownMenu.Label>
          <DropdownMenu.Item className={ITEM} onSelect={() => void navigate(`/person/${encodeURIComponent(me.name)}`)}>
            My own page
          </DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} onSelect={() => void navigate('/settings?part=own')}>
            Passkeys and sign-ins
          </DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} onSelect={() => void navigate('/device')}>
            Let a program in
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <Themes />
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={ITEM} onSelect={() => void signOut()}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

/** Find, what is held, how sure the service is, stop, and what is one’s own. */
export function Strip({ me }: { me: Me }) {
  const [palette, setPalette] = useState(false)
  const [stop, setStop] = useState(false)
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault()
        setPalette((open) => !open)
      }
    }
    document.addEventListener('keydown', press)
    return () => document.removeEventListener('keydown', press)
  }, [])
  return (
    <header className="sticky top-0 z-20 flex h-12 items-center gap-2 border-b border-line bg-paper/95 px-3 backdrop-blur md:px-5">
      <button
        type="button"
        onClick={() => setPalette(true)}
        className="flex h-8 shrink-0 items-center gap-2 rounded border border-line bg-sheet px-2.5 text-ink-3 hover:border-edge sm:w-56"
      >
        <Search size={15} aria-hidden="true" />
        <span className="sr-only sm:not-sr-only">Find, or do …</span>
        <kbd className="ml-auto hidden font-sans text-[0.79rem] sm:inline">Ctrl K</kbd>
      </button>
      <div className="min-w-0 flex-1">
        <Holding />
      </div>
      <Assurance me={me} />
      {isAdministrator(me) && (
        <Button look="alarm" onClick={() => setStop(true)} className="px-2">
          <OctagonX size={16} aria-hidden="true" /> Stop
        </Button>
      )}
      <Mine me={me} />
      <Palette open={palette} onClose={() => setPalette(false)} me={me} onStop={() => setStop(true)} />
      <StopDialog open={stop} onClose={() => setStop(false)} me={me} />
    </header>
  )
}
