//! systemd on the system's bus (org.freedesktop.systemd1(5)). An answer takes a fraction of the time in which a program is
//! started that asks for it. Where there is no bus, or it does not answer, the programs are asked.

use super::ASKING;
use super::credentials::label;
use std::cell::Cell;
use std::collections::HashMap;
use std::panic::{self, AssertUnwindSafe};
use std::sync::OnceLock;
use std::sync::mpsc::channel;
use zbus::{Connection, Message, OwnedObjectPath, OwnedVariant, Variant};

/// Where the system's bus is (its specification, "Well-known Message Bus Instances"), whatever the environment says.
const ADDRESS: &str = "unix:path=/run/dbus/system_bus_socket";
/// The manager's name on the bus.
pub const NAME: &str = "org.freedesktop.systemd1";
/// Its own object.
pub const OBJECT: &str = "/org/freedesktop/systemd1";
/// Its interface.
pub const MANAGER: &str = "org.freedesktop.systemd1.Manager";
/// What the manager answers about a unit of which it holds nothing.
const NO_SUCH_UNIT: &str = "org.freedesktop.systemd1.NoSuchUnit";

thread_local! {
    /// Whether this thread waits for the bus.
    static IS_ASKING: Cell<bool> = const { Cell::new(false) };
}

/// What comes of something on the bus. The crate panics where the system has no thread to give: that is an error as others.
pub fn ask<T>(what: impl Future<Output = Result<T, zbus::Error>>) -> Result<T, zbus::Error> {
    IS_ASKING.set(true);
    let done = panic::catch_unwind(AssertUnwindSafe(|| zbus::block_on(what)));
    IS_ASKING.set(false);
    done.unwrap_or_else(|_| Err(zbus::Error::Failure("the system has no thread to give".into())))
}

/// Nobody is told of a panic that is caught.
fn keep_quiet() {
    let usual = panic::take_hook();
    panic::set_hook(Box::new(move |panic| {
        if IS_ASKING.get() {
            tracing::debug!(%panic, "the bus was not asked");
        } else {
            usual(panic);
        }
    }));
}

/// The object of a unit.
pub fn object_of(unit: &str) -> String {
    format!("{OBJECT}/unit/{}", label(unit))
}

/// The line to the manager of the system.
#[derive(Debug)]
pub struct SystemBus(Connection);

/// The properties of a unit, by their names.
pub type Properties = HashMap<String, OwnedVariant>;

impl SystemBus {
    /// The line of this process; none where there is no bus.
    pub fn get() -> Option<&'static Self> {
        static LINE: OnceLock<Option<SystemBus>> = OnceLock::new();
        LINE.get_or_init(Self::connect).as_ref()
    }

    /// A bus that accepts and says nothing is waited for as long as a program that asks it would be.
    fn connect() -> Option<Self> {
        let (told, hear) = channel();
        keep_quiet();
        let connect = move || {
            let line = zbus::connection::Builder::address(ADDRESS).method_timeout(ASKING).build();
            // Nobody waits any more for one that took too long.
            let _ = told.send(ask(line));
        };
        std::thread::Builder::new().spawn(connect).ok()?;
        let line = hear.recv_timeout(ASKING).ok()?;
        line.inspect_err(|error| tracing::debug!(%error, "no bus")).ok().map(Self)
    }

    /// All properties of a unit, which is loaded where it was not; none where the manager does not answer.
    pub fn properties(&self, unit: &str) -> Option<Properties> {
        let of = "org.freedesktop.DBus.Properties";
        let asked = ask(self.0.call_method(Some(NAME), object_of(unit), Some(of), "GetAll", &("",)));
        let told = asked.and_then(|answer| answer.body().deserialize());
        told.inspect_err(|error| tracing::debug!(%error, unit, "not told by the bus")).ok()
    }

    /// Whether the manager holds something of a unit in memory; none where it does not answer.
    pub fn holds(&self, unit: &str) -> Option<bool> {
        match ask(self.manager("GetUnit", &(unit,))) {
            Ok(_) => Some(true),
            Err(zbus::Error::MethodError(name, ..)) if name.as_str() == NO_SUCH_UNIT => Some(false),
            Err(error) => {
                tracing::debug!(%error, unit, "not told by the bus");
                None
            }
        }
    }

    /// Asks the manager to start a unit that has no file. It does so by and by.
    ///
    /// # Errors
    ///
    /// If it refuses, or does not answer.
    pub fn start_transient(&self, unit: &str, properties: &[(&str, Variant<'_>)]) -> Result<(), zbus::Error> {
        let with_it: &[(&str, &[(&str, Variant<'_>)])] = &[];
        ask(self.manager("StartTransientUnit", &(unit, "fail", properties, with_it)))?
            .body()
            .deserialize::<OwnedObjectPath>()
            .map(drop)
    }

    /// Forgets that a unit has failed, and how often it was started (systemctl(1), `reset-failed`). Whether the manager
    /// answered, if only that there is nothing to forget.
    pub fn reset_failed(&self, unit: &str) -> bool {
        let answer = ask(self.manager("ResetFailedUnit", &(unit,)));
        matches!(answer, Ok(_) | Err(zbus::Error::MethodError(..)))
    }

    /// The line itself.
    pub fn line(&self) -> &Connection {
        &self.0
    }

    /// Calls a method of the manager.
    ///
    /// # Errors
    ///
    /// If it refuses, or does not answer in time.
    pub async fn manager<B>(&self, method: &str, body: &B) -> Result<Message, zbus::Error>
    where
        B: serde::Serialize + zbus::zvariant::DynamicType,
    {
        self.0.call_method(Some(NAME), OBJECT, Some(MANAGER), method, body).await
    }
}
