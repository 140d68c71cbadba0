//! `gypsum recover`.

use super::{Context, world};
use crate::target::NoTarget;
use crate::view::ChangeView;
use gypsum_host::run::{recover, recover_all};
use gypsum_host::who::who;

pub fn run(context: &Context, daemon: Option<&str>) -> Result<u8, NoTarget> {
    let world = world()?;
    let daemons =
        daemon.map_or_else(|| recover_all(&world, &context.state), |daemon| vec![daemon.to_owned()]);
    let mut worst = 0;
    let mut documents = Vec::new();
    for daemon in &daemons {
        let mut view = ChangeView::new(context.out);
        match recover(&world, &context.state, &mut view, daemon, &who())? {
            Some(finished) => {
                worst = worst.max(finished.status);
                documents.push(serde_json::to_value(&finished.report).unwrap_or_default());
            }
            None if context.out.json => {}
            None => context.out.line(&format!("{daemon} has no change to recover.")),
        }
    }
    if context.out.json {
        let one = if documents.len() == 1 { documents.pop().unwrap_or_default() } else { documents.into() };
        context.out.document(&one);
    } else if daemons.is_empty() {
        context.out.line(&format!("Nothing to recover (in {}).", context.state.root().display()));
    }
    Ok(worst)
}
