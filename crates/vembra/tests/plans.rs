//! Plans: each invariant, broken by hand, is named by its number; each rewrite does what it is for and keeps what it must.

use std::collections::BTreeMap;
use vembra::inside::{ColumnId, KnownValues, Plan, Query, ask, parse_query, plan, rewrite, verify};
use vembra::{Scalar, Session, Type};
use vembra_plan::{KeptRule, KeyId, Node, NodeId, NodeKind, WindowOrder};

fn session() -> Session {
    session_with("")
}

fn session_with(more: &str) -> Session {
    let model = "calendar from '2025-01-01' to '2025-12-31'\ndimension shop from 'shop' key code\nfact sale from 'sale'\n\
             link sale.code to shop\nlink sale.ordered_on to calendar as ordered default\n\
             measure total = sum(amount)\nmeasure each = avg(total per sale.code)\n";
    Session::builder()
        .model_text("m.vembra", format!("{model}{more}"))
        .csv_text("shop", "code,town\nA,Ash\nB,Elm\n")
        .csv_text("sale", "code,ordered_on,amount,note\nA,2025-01-02,1,x\nB,2025-02-03,2,y\n")
        .open()
        .unwrap()
}

struct Nothing;
impl KnownValues for Nothing {
    fn values(&self, _: ColumnId) -> Option<Vec<Scalar>> {
        None
    }
}

/// The plan of a query, before any rewrite.
fn raw(session: &Session, query: &str) -> Query {
    let mut sources = session.model().sources.clone();
    let source = sources.add("query", query);
    let parsed = parse_query(source, query);
    let (meaning, _) = ask(session.model(), &sources, source, &parsed.root, &BTreeMap::new());
    match plan(session.model(), &sources, &meaning.unwrap(), &Nothing).0 {
        Some(Plan::Query(query)) => *query,
        other => panic!("no summary: {other:?}"),
    }
}

fn summary(query: &Query) -> Plan {
    Plan::Query(Box::new(query.clone()))
}

#[test]
fn a_treatment_plans_as_its_formula_written_out() {
    let session = session_with(
        "measure to_date(m) = m during year to date\n\
             measure growth(m) = (m - (m during 1 year earlier matched)) / (m during 1 year earlier matched)\n\
             measure part(m, a: attribute) = m / (m pooling a)\n\
             measure dated(m, r: role) = m via r\n\
             measure recent(m, n: integer) = avg((m per calendar.month) during last n months)\n\
             measure under(m, c: text) = m where shop.town = c and note <> 'z'\n\
             measure of_both(m) = growth(to_date(m))\n\
             measure named = to_date(total)",
    );
    let pairs = [
        ("to_date(total)", "total during year to date"),
        ("named", "total during year to date"),
        (
            "growth(total)",
            "(total - (total during 1 year earlier matched)) / (total during 1 year earlier matched)",
        ),
        ("part(total, shop.town)", "total / (total pooling shop.town)"),
        ("dated(total, ordered)", "total via ordered"),
        ("recent(sum(amount), 3)", "avg((sum(amount) per calendar.month) during last 3 months)"),
        ("under(total, 'Ash')", "total where shop.town = 'Ash' and note <> 'z'"),
        (
            "of_both(total)",
            "((total during year to date) - ((total during year to date) during 1 year earlier matched)) \
             / ((total during year to date) during 1 year earlier matched)",
        ),
        ("to_date(total) where note = 'x'", "(total during year to date) where note = 'x'"),
        ("avg(to_date(total) per sale.code)", "avg((total during year to date) per sale.code)"),
    ];
    for (treated, written) in pairs {
        let graph = |figure: &str| {
            let query = format!("rows calendar.month, shop.town show ({figure}) as f totals on rows");
            let query = raw(&session, &query);
            format!("{:?} {:?}", query.graph.nodes, query.graph.keys)
        };
        assert_eq!(graph(treated), graph(written), "{treated}");
    }
}

type Break = fn(&mut Query);

#[test]
fn each_broken_invariant_is_named_by_its_number() {
    let session = session();
    let schema = &session.model().schema;
    let query = "rows shop.town columns calendar.month show total, each, total / each as part, rank(total among shop.town) as place, \
                 (total during 1 year earlier) as before where shop.town <> 'X' having total > 0 sort total totals on rows";
    let good = raw(&session, query);
    verify::plan(schema, &summary(&good), "planning").unwrap();
    let breaks: [(u8, Break); 17] = [
        // A path that starts at another table than the one that is read.
        (1, |q| q.graph.scans[0].table = q.axes[0].home),
        // A sum that is said to be a text.
        (2, |q| q.graph.scans[0].aggregates[0].ty = Type::Text),
        // A filter that is no condition.
        (3, |q| {
            let value = q.graph.scans[0].aggregates[0].value.clone().unwrap();
            q.graph.scans[0].filter.push(value);
        }),
        // An axis of another type than its key.
        (4, |q| q.axes[0].ty = Type::Integer),
        // A figure that is not there, and one of another type than is shown.
        (5, |q| q.graph.nodes.clear()),
        (5, |q| q.outputs[0].ty = Type::Text),
        // The details do not come first; a level stands twice.
        (6, |q| q.levels.reverse()),
        (6, |q| q.levels.push(q.levels[0].clone())),
        (6, |q| q.levels[0].rows += 1),
        // A sort by a figure that is not shown.
        (7, |q| q.outputs.truncate(0)),
        // A figure that hides a key, or names it twice.
        (10, |q| kind_of(q, |kind| matches!(kind, NodeKind::Call(..))).keys.clear()),
        (10, |q| kind_of(q, |kind| matches!(kind, NodeKind::Aggregate(..))).keys.push(KeyId(0))),
        // A rank along a key on which no line stands.
        (11, |q| {
            let NodeKind::Window(window) = &mut kind_of(q, |kind| matches!(kind, NodeKind::Window(_))).kind
            else {
                return;
            };
            window.order = WindowOrder::Key(KeyId(9));
        }),
        // Lines chosen by a key that they have not, from rows that are not grouped by it, and by a figure that is no condition.
        (12, |q| {
            let NodeKind::Kept(kept) = &mut kind_of(q, |kind| matches!(kind, NodeKind::Kept(_))).kind else {
                return;
            };
            kept.rule =
                KeptRule::Top { count: 1, by: NodeId(0), smallest: false, key: KeyId(9), ties: false };
        }),
        (12, |q| {
            let NodeKind::Kept(kept) = &kind_of(q, |kind| matches!(kind, NodeKind::Kept(_))).kind else {
                return;
            };
            let scan = kept.domain[0];
            q.graph.scans[scan.index()].keys.clear();
        }),
        (5, |q| {
            let NodeKind::Kept(kept) = &mut kind_of(q, |kind| matches!(kind, NodeKind::Kept(_))).kind else {
                return;
            };
            kept.rule = KeptRule::Having(NodeId(0));
        }),
        // Days of a table that is no calendar.
        (13, |q| {
            let shop = q.axes[0].home;
            q.graph
                .scans
                .iter_mut()
                .filter_map(|scan| scan.during.as_mut())
                .for_each(|during| during.calendar = shop);
        }),
    ];
    for (at, (number, break_it)) in breaks.into_iter().enumerate() {
        let mut bad = good.clone();
        break_it(&mut bad);
        let broken = verify::plan(schema, &summary(&bad), "a rewrite").unwrap_err();
        assert!(broken.faults.iter().any(|fault| fault.number == number), "break {at}: {broken}");
        assert_eq!(broken.pass, "a rewrite");
    }
}

/// The first node of a kind.
fn kind_of(query: &mut Query, is: fn(&NodeKind) -> bool) -> &mut Node {
    query.graph.nodes.iter_mut().find(|node| is(&node.kind)).expect("such a node")
}

#[test]
fn all_broken_invariants_are_named() {
    let session = session();
    let mut query = raw(&session, "rows shop.town show total sort total");
    query.outputs[0].ty = Type::Text;
    query.levels.push(query.levels[0].clone());
    query.outputs.truncate(1);
    query.axes[0].ty = Type::Integer;
    let broken = verify::plan(&session.model().schema, &summary(&query), "planning").unwrap_err();
    let numbers: Vec<u8> = broken.faults.iter().map(|fault| fault.number).collect();
    assert_eq!(numbers, [4, 5, 6], "{broken}");
    assert!(broken.to_string().starts_with("after planning the plan breaks invariant 4: "), "{broken}");
}

#[test]
fn a_looked_up_figure_names_the_keys_that_it_depends_on() {
    let session = session();
    let query = "show count(rows of sale where (total per sale.code) > 1) as n";
    let mut query = raw(&session, query);
    verify::plan(&session.model().schema, &summary(&query), "planning").unwrap();
    let mut changed = 0;
    for scan in &mut query.graph.scans {
        for condition in scan.aggregates.iter_mut().flat_map(|a| &mut a.condition).chain(&mut scan.filter) {
            *condition = condition.map_leaves(&mut |leaf| {
                let mut leaf = leaf.clone();
                if let vembra::inside::RowLeaf::Lookup(lookup) = &mut leaf {
                    lookup.keys.clear();
                    changed += 1;
                }
                leaf
            });
        }
    }
    assert!(changed > 0, "nothing is looked up");
    let broken = verify::plan(&session.model().schema, &summary(&query), "planning").unwrap_err();
    assert!(broken.faults.iter().any(|fault| fault.number == 8), "{broken}");
}

/// The plan after the rewrites up to this one.
fn after(session: &Session, query: &str, last: &str) -> Query {
    let mut query = raw(session, query);
    for rewrite in &rewrite::ALL {
        (rewrite.run)(&mut query.graph, &mut query.domain);
        verify::plan(&session.model().schema, &summary(&query), rewrite.name).unwrap();
        if rewrite.name == last {
            return query;
        }
    }
    panic!("there is no rewrite {last}");
}

#[test]
fn conditions_are_split_at_and_but_not_at_or() {
    let session = session();
    let count = |query: &str| {
        let query = after(&session, query, "split conditions");
        query.graph.scans[0].filter.len()
    };
    assert_eq!(count("show total where shop.town = 'Ash' and sale.amount > 1 and sale.note = 'x'"), 3);
    assert_eq!(count("show total where shop.town = 'Ash' or sale.amount > 1"), 1);
    assert_eq!(count("show total where not (shop.town = 'Ash' and sale.amount > 1)"), 1);
}

#[test]
fn scans_that_read_the_same_are_read_once() {
    let session = session();
    let scans = |query: &str| after(&session, query, "merge scans").graph.scans.len();
    // Sum, count and largest over the same rows by the same keys: one pass.
    assert_eq!(scans("rows shop.town show total, count(rows of sale) as n, max(amount) as most"), 1);
    // Equal aggregates are one.
    let twice = after(&session, "show total as a, total + 1 as b", "merge scans");
    assert_eq!((twice.graph.scans.len(), twice.graph.scans[0].aggregates.len()), (1, 1));
    // Other conditions become the aggregate's own; another date range is another pass.
    assert_eq!(scans("show total, (total where shop.town = 'Ash') as ash"), 1);
    assert_eq!(scans("show total, sum(amount where shop.town = 'Ash') as ash"), 1);
    assert_eq!(scans("rows calendar.month show total, (total during year to date) as y"), 2);
}

#[test]
fn rewritten_plans_answer_as_raw_ones_do() {
    let session = session();
    for query in [
        "rows shop.town columns calendar.month show total, each totals on rows, on columns",
        "show total, (total where shop.town = 'Ash') as ash, count(rows of sale where (total per sale.code) > 1) as n",
        "rows calendar.month show total, (total during year to date) as y where sale.amount > 0 and shop.town <> 'X'",
    ] {
        let options = vembra::Options::default();
        let star = session.star();
        let mut plan = summary(&raw(&session, query));
        let plain = vembra::inside::run(star, &plan, &options).unwrap();
        rewrite::run(&session.model().schema, &mut plan).unwrap();
        assert_eq!(vembra::inside::run(star, &plan, &options).unwrap(), plain, "{plan}");
    }
}
