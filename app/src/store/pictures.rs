//! Pictures that were brought in or made from such: their numbers and what is known of them.

use super::leftovers::give_up;
use super::{Result, Store, changed, found, jobs};
use crate::model::jobs::NewJob;
use crate::model::kept;
use crate::model::pictures::BroughtPicture;
use rusqlite::params;

impl Store {
    /// Reserves a number for a picture that is brought.
    pub fn add_brought(&self) -> Result<i64> {
        let db = self.lock();
        db.execute("INSERT INTO picture (record) VALUES ('')", [])?;
        Ok(db.last_insert_rowid())
    }

    /// Reserves a number for a picture that is made and queues its job; gives both their numbers.
    pub fn add_picture(&self, job: &NewJob) -> Result<(i64, i64)> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        transaction.execute("INSERT INTO picture (record) VALUES ('')", [])?;
        let id = transaction.last_insert_rowid();
        let job = jobs::add(&transaction, id, job)?;
        transaction.commit()?;
        Ok((id, job))
    }

    /// Tells what a picture is.
    pub fn set_picture(&self, picture: &BroughtPicture) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE picture SET record = ?2 WHERE id = ?1",
            params![picture.id, kept::write(picture)?],
        )?;
        changed(rows, "picture", picture.id)
    }

    /// All pictures, newest first, and the numbers of those whose record cannot be read: they hide no other.
    pub fn pictures(&self) -> Result<(Vec<BroughtPicture>, Vec<i64>)> {
        let db = self.lock();
        let mut statement =
            db.prepare("SELECT id, record FROM picture WHERE record <> '' ORDER BY id DESC")?;
        let rows: Vec<(i64, String)> = statement
            .query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?
            .collect::<rusqlite::Result<_>>()?;
        let (mut pictures, mut unreadable) = (Vec::new(), Vec::new());
        for (id, record) in rows {
            match kept::read(&record) {
                Ok(picture) => pictures.push(picture),
                Err(_) => unreadable.push(id),
            }
        }
        Ok((pictures, unreadable))
    }

    /// One picture.
    pub fn picture(&self, id: i64) -> Result<BroughtPicture> {
        let row = self.lock().query_row(
            "SELECT record FROM picture WHERE id = ?1 AND record <> ''",
            [id],
            |r| r.get::<_, String>(0),
        );
        Ok(kept::read(&found(row, "picture", id)?)?)
    }

    /// Removes a picture; its files are given up.
    pub fn remove_picture(&self, id: i64) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        give_up(&transaction, &format!("pictures/{id}"))?;
        let rows = transaction.execute("DELETE FROM picture WHERE id = ?1", [id])?;
        changed(rows, "picture", id)?;
        Ok(transaction.commit()?)
    }
}
