//! What can still be read of a damaged database, taken into a whole one.

use super::Result;
use rusqlite::types::Value;
use rusqlite::{Connection, OpenFlags, params_from_iter};
use std::collections::BTreeMap;
use std::path::Path;

/// Tables whose rows people miss, those first that others refer to. What could be undone is not among them: it fits the state it was kept
/// with alone.
const TABLES: [&str; 6] = [
    "project",
    "viewpoint",
    "render_order",
    "package",
    "picture",
    "job",
];
/// Most rows that are asked for one by one where a table cannot be read through.
const MOST_ASKED: i64 = 100_000;

type Rows = BTreeMap<i64, Vec<Value>>;

/// Takes rows of a damaged database that are not in a whole one of the same version, or newer there. Gives how many came; none where the
/// versions differ or nothing can be read.
pub fn take(damaged: &Path, into: &Path) -> Result<usize> {
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let Ok(from) = Connection::open_with_flags(damaged, flags) else {
        return Ok(0);
    };
    let mut to = Connection::open(into)?;
    let version = |db: &Connection| db.query_row("PRAGMA user_version", [], |r| r.get::<_, i64>(0));
    if version(&from).ok() != version(&to).ok() {
        return Ok(0);
    }
    to.execute_batch("PRAGMA foreign_keys = OFF; PRAGMA synchronous = FULL;")?;
    let transaction = to.transaction()?;
    let mut came = 0;
    for table in TABLES {
        let columns = columns(&transaction, table)?;
        let here = readable(&transaction, table, &columns);
        for (id, row) in readable(&from, table, &columns) {
            let done = match here.get(&id) {
                Some(same) if *same == row => continue,
                // One that makes no sense any more does not take the place of one that does.
                Some(old) if !old.iter().zip(&row).all(|(o, n)| is_json(n) || !is_json(o)) => {
                    continue;
                }
                Some(_) => transaction.execute(
                    &format!(
                        "UPDATE {table} SET ({0}) = ({1}) WHERE id = {id}",
                        columns.join(", "),
                        marks(&columns)
                    ),
                    params_from_iter(&row),
                ),
                None => transaction.execute(
                    &format!(
                        "INSERT INTO {table} ({0}) VALUES ({1})",
                        columns.join(", "),
                        marks(&columns)
                    ),
                    params_from_iter(&row),
                ),
            };
            // What the table does not take is no row of its kind.
            came += done.unwrap_or(0);
        }
    }
    // An order whose turn could not be read waits for Resume, which finds what it finished.
    transaction.execute(
        "INSERT INTO job (kind, project, makes, what, state, place)
            SELECT 'order', project, id, '', 'stopped', id FROM render_order
                WHERE id NOT IN (SELECT makes FROM job WHERE kind = 'order')",
        [],
    )?;
    if came > 0 {
        // A change that was being made when the copy was taken is long made: what is newer must not be put back.
        transaction.execute("DELETE FROM change_begun", [])?;
    }
    remove_orphans(&transaction)?;
    transaction.commit()?;
    Ok(came)
}

/// Removes rows that refer to others which are not there.
fn remove_orphans(db: &Connection) -> Result<()> {
    loop {
        let orphans: Vec<(String, i64)> = db
            .prepare("PRAGMA foreign_key_check")?
            .query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?
            .collect::<rusqlite::Result<_>>()?;
        if orphans.is_empty() {
            return Ok(());
        }
        for (table, row) in orphans {
            db.execute(&format!("DELETE FROM {table} WHERE rowid = ?1"), [row])?;
        }
    }
}

fn columns(db: &Connection, table: &str) -> Result<Vec<String>> {
    let mut asked = db.prepare("SELECT name FROM pragma_table_info(?1)")?;
    let names = asked.query_map([table], |r| r.get(0))?;
    Ok(names.collect::<rusqlite::Result<_>>()?)
}

fn marks(columns: &[String]) -> String {
    vec!["?"; columns.len()].join(", ")
}

/// Whether a text is JSON that holds something.
fn is_json(value: &Value) -> bool {
    match value {
        Value::Text(text) => {
            serde_json::from_str::<serde_json::Value>(text).is_ok_and(|v| v.is_object())
        }
        _ => false,
    }
}

/// All rows that can be read: from both ends to where the table is broken, and between them each by itself.
fn readable(db: &Connection, table: &str, columns: &[String]) -> Rows {
    let mut rows = Rows::new();
    let list = columns.join(", ");
    let ask = |how: &str, rows: &mut Rows| -> bool {
        let Ok(mut asked) = db.prepare(&format!("SELECT id, {list} FROM {table} {how}")) else {
            return false;
        };
        let Ok(mut found) = asked.query([]) else {
            return false;
        };
        loop {
            match found.next() {
                Ok(Some(row)) => {
                    let id = row.get::<_, i64>(0);
                    let values = (1..=columns.len()).map(|i| row.get::<_, Value>(i));
                    if let (Ok(id), Ok(values)) = (id, values.collect::<rusqlite::Result<Vec<_>>>())
                    {
                        rows.insert(id, values);
                    }
                }
                Ok(None) => return true,
                Err(_) => return false,
            }
        }
    };
    if ask("ORDER BY id", &mut rows) {
        return rows;
    }
    let from = rows.keys().last().map_or(1, |id| id + 1);
    let mut end = Rows::new();
    ask("ORDER BY id DESC", &mut end);
    let to = end.keys().next().map_or(from + 1000, |id| id - 1);
    rows.extend(end);
    for id in from..=to.min(from + MOST_ASKED) {
        ask(&format!("WHERE id = {id}"), &mut rows);
    }
    rows
}
