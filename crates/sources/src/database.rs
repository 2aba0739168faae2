//! A table of a database server: where it is stands in the environment, since that may hold a password, and a model does not.

use crate::address::address;
use crate::loaded::{Loaded, ReadOptions, failed};
use vembra_plan::{Code, Finding};

/// Reads a table of the database whose address stands in a variable of the environment. Neither the address nor a password in it appears
/// in any message.
pub fn read_database(database: &str, variable: &str, options: &ReadOptions) -> Loaded {
    let table = options.table.clone().unwrap_or_default();
    let name = format!("{database} {table}");
    match address(database, variable, &name) {
        Ok(address) => read(&name, variable, &address, options),
        Err(finding) => failed(&name, vec![*finding]),
    }
}

/// The tables of a database that may be read, each with its schema: `sales.lines`. Views are left out: they repeat what tables hold.
///
/// # Errors
/// A finding when the server cannot be asked.
pub fn database_tables(database: &str, variable: &str) -> Result<Vec<String>, Box<Finding>> {
    let address = address(database, variable, database)?;
    tables(database, variable, &address)
}

fn tables(name: &str, variable: &str, address: &str) -> Result<Vec<String>, Box<Finding>> {
    #[cfg(feature = "server")]
    if vembra_sql::Dialect::of_address(address) == vembra_sql::Dialect::Spark {
        let message = "a server that is asked by Arrow Flight SQL is not sketched from".to_owned();
        let help = "name files of its tables, and let them live there: `fact sale from shop table 'sale'`";
        return Err(Box::new(Finding::new(Code::V643, name, message, help)));
    }
    #[cfg(feature = "postgres")]
    return crate::postgres::tables(name, variable, address);
    #[cfg(not(feature = "postgres"))]
    Err(Box::new(left_out(name)))
}

fn read(name: &str, variable: &str, address: &str, options: &ReadOptions) -> Loaded {
    #[cfg(feature = "flight")]
    if vembra_sql::Dialect::of_address(address) == vembra_sql::Dialect::Spark {
        return crate::server::read_flight(name, variable, address, options);
    }
    #[cfg(feature = "postgres")]
    return crate::postgres::read(name, variable, address, options);
    #[cfg(not(feature = "postgres"))]
    failed(name, vec![left_out(name)])
}

#[cfg(not(feature = "postgres"))]
fn left_out(name: &str) -> Finding {
    let message = "this program was built without the reader of PostgreSQL databases".to_owned();
    let help = "build it with the feature postgres, or give the table as columns";
    Finding::new(Code::V635, name, message, help)
}
