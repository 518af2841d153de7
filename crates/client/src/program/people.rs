//! `me`, `sign-ins`, `people`.

use tempestas_api::{Me, NewAccount, NewDuty, NewManager, NewMember, NewSubject};
use tempestas_core::{LookedAt, ProofMethod};

use super::{
    args::PeopleVerb,
    cli::Cli,
    estate::is_at,
    show::{self, say},
};

pub(crate) async fn me(cli: &Cli) -> anyhow::Result<()> {
    let me: Me = cli.client().me().await?;
    cli.print(&me, |me| {
        say!("{} ({})", me.name, me.about);
        say!("{} of your elevations live, {} asks wait for your answer.", me.live, me.waiting_for_me);
        for duty in &me.duties {
            say!(
                "Duty: {:?} at {}{}",
                duty.duty,
                duty.scope,
                if duty.who == me.name { String::new() } else { format!(", through {}", duty.who) }
            );
        }
        if !me.groups.is_empty() {
            say!("Groups: {}", me.groups.join(", "));
        }
        match &me.proof {
            Some(proof) => say!("Last proof: {}, by {}", show::when(proof.at), method(proof.method)),
            None => say!("Last proof: none in this sign-in"),
        }
    })
}

const fn method(method: ProofMethod) -> &'static str {
    match method {
        ProofMethod::TotpCode => "a code",
        ProofMethod::Passkey => "a passkey",
    }
}

pub(crate) async fn sign_ins(cli: &Cli, end: Option<&str>) -> anyhow::Result<()> {
    if let Some(id) = end {
        cli.client().end_sign_in(id).await?;
        return cli.done(&format!("Ended sign-in {id}."));
    }
    let all = cli.client().sign_ins().await?;
    cli.print(&all, |all| {
        let rows = all.iter().map(|one| {
            let this = if one.this_one { "this one" } else { "" };
            [
                one.id.to_string(),
                one.address.clone(),
                show::when(one.began_at),
                show::when(one.used_at),
                this.to_owned(),
            ]
        });
        show::table(&["no", "from", "since", "last used", ""], rows, "You have no sign-ins.");
    })
}

pub(crate) async fn people(cli: &Cli, verb: PeopleVerb) -> anyhow::Result<()> {
    match verb {
        PeopleVerb::Source { verb } => super::sources::source(cli, verb).await,
        PeopleVerb::List => list(cli).await,
        PeopleVerb::Add { name, about, kind, second_of } => {
            let new = NewSubject { kind, name, about, second_of };
            let added = cli.fresh(async |client| client.add_subject(&new).await).await?;
            cli.print(&added, |added| {
                say!("Added {} ({}).", added.name, added.id);
                if !added.alike.is_empty() {
                    say!("At a glance that looks like {}; whoever answers their asks is told.", added.alike.join(", "));
                }
            })
        }
        PeopleVerb::Enrolment { name } => {
            let issued = cli.fresh(async |client| client.enrolment(&name).await).await?;
            cli.print(&issued, |issued| {
                say!(
                    "{} enrols with this secret, once, until {}; it is not shown again:",
                    issued.name,
                    show::when(issued.expires)
                );
                say!("  {}", issued.secret);
            })
        }
        PeopleVerb::Suspend { name } => {
            cli.fresh(async |client| client.suspend(&name).await).await?;
            cli.done(&format!("Suspended {name}; what they held is being ended."))
        }
        PeopleVerb::Resume { name } => {
            cli.fresh(async |client| client.resume(&name).await).await?;
            cli.done(&format!("Resumed {name}."))
        }
        PeopleVerb::Account { name, target, account } => {
            let new = NewAccount { target, account };
            let was = account_of(cli, &name, &new.target).await?;
            cli.fresh(async |client| client.set_account(&name, was, &new).await).await?;
            cli.done(&format!("`{}` on {} is {name}'s account.", new.account, new.target))
        }
        PeopleVerb::Manager { name, manager, none: _ } => set_manager(cli, &name, manager).await,
        PeopleVerb::Join { group, member } => {
            let new = NewMember { member };
            cli.fresh(async |client| client.add_member(&group, &new).await).await?;
            cli.done(&format!("{} is in {group}.", new.member))
        }
        PeopleVerb::Leave { group, member } => {
            cli.fresh(async |client| client.remove_member(&group, &member).await).await?;
            cli.done(&format!("{member} is no longer in {group}."))
        }
        PeopleVerb::Duties => duties(cli).await,
        PeopleVerb::Duty { name, duty, scope } => {
            let new = NewDuty { who: name, duty, scope };
            cli.fresh(async |client| client.give_duty(&new).await).await?;
            cli.done(&format!("{} has the duty at {}.", new.who, new.scope))
        }
        PeopleVerb::EndDuty { id } => {
            cli.fresh(async |client| client.end_duty(&id).await).await?;
            cli.done(&format!("Ended duty {id}."))
        }
    }
}

async fn set_manager(cli: &Cli, name: &str, manager: Option<String>) -> anyhow::Result<()> {
    let was = LookedAt::This(cli.client().manager(name).await?.digest);
    let new = NewManager { manager };
    cli.fresh(async |client| client.set_manager(name, was, &new).await).await?;
    match &new.manager {
        Some(manager) => cli.done(&format!("{manager} is {name}'s manager.")),
        None => cli.done(&format!("{name} has no manager that is known.")),
    }
}

async fn list(cli: &Cli) -> anyhow::Result<()> {
    let all = cli.client().people().await?;
    cli.print(&all, |all| {
        let rows = all.iter().map(|one| {
            let state = if one.suspended { "suspended" } else { "" };
            let more = match &one.second_of {
                Some(first) => format!("second sign-in of {first}"),
                None => one.members.join(", "),
            };
            [
                one.name.clone(),
                format!("{:?}", one.kind).to_lowercase(),
                one.about.clone(),
                more,
                one.accounts.iter().map(|own| format!("{}@{}", own.account, own.target)).collect::<Vec<_>>().join(", "),
                state.to_owned(),
            ]
        });
        show::table(&["name", "kind", "about", "members", "accounts", ""], rows, "Nobody is known yet.");
    })
}

/// Whose account it is by now on a target, as the caller sees it.
async fn account_of(cli: &Cli, name: &str, target: &str) -> anyhow::Result<LookedAt> {
    let people = cli.client().people().await?;
    let known = people.iter().filter(|one| one.name == name || one.id == name).flat_map(|one| &one.accounts);
    let own = known.into_iter().find(|own| is_at(&own.target, target));
    Ok(own.map_or(LookedAt::Nothing, |own| LookedAt::This(own.digest)))
}

async fn duties(cli: &Cli) -> anyhow::Result<()> {
    let all = cli.client().duties().await?;
    cli.print(&all, |all| {
        let rows = all
            .iter()
            .map(|one| [one.id.clone(), one.who.clone(), format!("{:?}", one.duty).to_lowercase(), one.scope.clone()]);
        show::table(&["id", "who", "duty", "where"], rows, "There are no duties that you can see.");
    })
}
