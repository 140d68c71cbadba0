//! TOML, as the data that its parser makes of it: tables within tables, whatever headers and dotted keys
//! they were written with.

use super::account::{Account, Scalar, Sort, Unreadable};
use super::builder::Builder;
use toml::{Table, Value};

pub fn read(source: &[u8], builder: &mut Builder) -> Result<(), Unreadable> {
    let from = super::mark_length(source);
    let text = std::str::from_utf8(&source[from..])
        .map_err(|error| Unreadable::new(from + error.valid_up_to(), "this is not UTF-8"))?;
    let table = toml::from_str::<Table>(text).map_err(|error| {
        Unreadable::new(from + error.span().map_or(0, |span| span.start), error.message())
    })?;
    entries(builder, table);
    Ok(())
}

/// `text` as the one value of a document, which is all that it holds.
pub fn value_alone(text: &str) -> Option<Account> {
    // In brackets, so that a comment mark in it is seen.
    let table = toml::from_str::<Table>(&format!("x = [{text}]")).ok().filter(|table| table.len() == 1)?;
    let mut values = table.get("x")?.as_array()?.iter();
    let (value, None) = (values.next()?.clone(), values.next()) else {
        return None;
    };
    let mut builder = Builder::default();
    node(&mut builder, None, value);
    Some(builder.finish())
}

fn entries(builder: &mut Builder, table: Table) {
    table.into_iter().for_each(|(name, value)| node(builder, Some(name.into_bytes()), value));
}

fn node(builder: &mut Builder, name: Option<Vec<u8>>, value: Value) {
    let mut scalar = |sort, text: String| builder.value(name.clone(), Some(Scalar::of(sort, text)), 0);
    match value {
        Value::String(text) => scalar(Sort::Text, text),
        Value::Integer(number) => scalar(Sort::Number, number.to_string()),
        Value::Float(number) => scalar(Sort::Number, format!("{number:?}")),
        Value::Boolean(flag) => scalar(Sort::Flag, flag.to_string()),
        Value::Datetime(time) => scalar(Sort::Other, time.to_string()),
        Value::Array(array) => {
            builder.open(name, None, 0);
            array.into_iter().for_each(|element| node(builder, None, element));
            builder.close();
        }
        Value::Table(table) => {
            builder.open(name, None, 0);
            entries(builder, table);
            builder.close();
        }
    }
}
