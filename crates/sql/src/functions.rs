//! Functions of values, as `PostgreSQL` says them.

use crate::periods;
use crate::refused::Refused;
use vembra_plan::call::band_labels;
use vembra_plan::{Function, Scalar, Type, Unit};

/// A value in a statement.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Value {
    pub(crate) sql: String,
    pub(crate) ty: Type,
    /// The value itself, where it is fixed.
    pub(crate) fixed: Option<Scalar>,
}

/// The type that a value has on the server.
pub(crate) fn server_type(ty: Type) -> &'static str {
    match ty {
        Type::Integer | Type::Period(_) | Type::Null => "bigint",
        Type::Decimal(_) => "numeric",
        Type::Float => "double precision",
        Type::Text => "text",
        Type::Boolean => "boolean",
        Type::Date => "date",
        Type::Time => "time",
        Type::Moment => "timestamp",
    }
}

/// The value of a call whose type is `ty`.
pub(crate) fn call(function: Function, args: &[Value], ty: Type) -> Result<String, Refused> {
    use Function as F;
    let sql = |at: usize| args[at].sql.as_str();
    let a = || sql(0);
    let b = || sql(1);
    let all = || args.iter().map(|arg| arg.sql.as_str()).collect::<Vec<_>>();
    let refused = |what: &str| Err(Refused::new(what));
    Ok(match function {
        F::And => format!("({})", all().join(" and ")),
        F::Or => format!("({})", all().join(" or ")),
        F::Not => format!("(not {})", a()),
        F::IsNull => format!("({} is null)", a()),
        F::Equal | F::NotEqual | F::Less | F::LessEqual | F::Greater | F::GreaterEqual => {
            let (left, right) = alike(&args[0], &args[1]);
            format!("({left} {} {right})", comparison(function))
        }
        F::In => {
            let equal = |arg: &Value| {
                let (left, right) = alike(&args[0], arg);
                format!("{left} = {right}")
            };
            format!("({})", args[1..].iter().map(equal).collect::<Vec<_>>().join(" or "))
        }
        F::Case => case(args, ty)?,
        F::Coalesce => format!("coalesce({})", converted(args, ty)?.join(", ")),
        F::NullIf => {
            let (left, right) = alike(&args[0], &args[1]);
            format!("(case when {left} = {right} then null else {} end)", a())
        }
        F::Cast => cast(&args[0], ty)?,
        F::Greatest | F::Least => {
            let name = if function == F::Greatest { "greatest" } else { "least" };
            let nulls: Vec<String> = all().iter().map(|arg| format!("{arg} is null")).collect();
            format!(
                "(case when {} then null else {name}({}) end)",
                nulls.join(" or "),
                converted(args, ty)?.join(", ")
            )
        }
        F::Add | F::Subtract | F::Multiply | F::Divide | F::Mod | F::Power => arithmetic(function, args, ty)?,
        F::Negate => format!("(- {})", a()),
        F::Abs => format!("abs({})", a()),
        F::Sign => format!("sign({})::bigint", a()),
        F::Floor | F::Ceiling => {
            let name = if function == F::Floor { "floor" } else { "ceil" };
            match args[0].ty {
                Type::Float => format!("{name}({})", a()),
                _ => format!("{name}({}::numeric)::bigint", a()),
            }
        }
        F::Round => round(args)?,
        F::Sqrt => format!("(case when {0} >= 0 then sqrt({0}) end)", float(&args[0])),
        F::Ln => format!("(case when {0} > 0 then ln({0}) end)", float(&args[0])),
        F::Exp => format!("exp({})", float(&args[0])),
        F::Concat => format!("({})", all().join(" || ")),
        F::Upper => format!("(upper({} collate \"und-x-icu\") collate \"C\")", a()),
        F::Lower => format!("(lower({} collate \"und-x-icu\") collate \"C\")", a()),
        F::Trim => format!("btrim({}, {BLANKS})", a()),
        F::Replace => format!("replace({}, {}, {})", a(), b(), sql(2)),
        F::CharLength => format!("char_length({})::bigint", a()),
        F::Position => format!("strpos({}, {})::bigint", b(), a()),
        F::Left => format!("left({}, {})", a(), count(b())),
        F::Right => format!("right({}, {})", a(), count(b())),
        F::PadLeft | F::PadRight => {
            let name = if function == F::PadLeft { "lpad" } else { "rpad" };
            let fill = args.get(2).map_or("' '", |arg| arg.sql.as_str());
            format!("{name}({}, {}, {fill})", a(), count(b()))
        }
        F::Substring => substring(args),
        F::Like => format!("({} like {} escape '')", a(), b()),
        F::Extract(unit) => extract(unit, &args[0]),
        F::StartOf(period, start) => match periods::first_day(period, &day(&args[0]), start, false) {
            Some(first) => first,
            None => return refused("the first day of a period that comes again and again"),
        },
        F::EndOf(period, start) => match periods::first_day(period, &day(&args[0]), start, true) {
            Some(next) => format!("({next} - 1)"),
            None => return refused("the last day of a period that comes again and again"),
        },
        F::Apart(None) => format!("({} - {})::bigint", day(&args[1]), day(&args[0])),
        F::Apart(Some(period)) => {
            let of = |arg: &Value| periods::of_day(period, &day(arg), 1);
            format!("({} - {})", of(&args[1]), of(&args[0]))
        }
        F::Band => band(args)?,
        F::MakeDate | F::Within(_) | F::WorkingDays | F::WorkingDay => {
            return refused(&name(function));
        }
    })
}

fn name(function: Function) -> String {
    let named = Function::NAMED.iter().find(|(_, own)| *own == function);
    named.map_or_else(
        || "a cast to a decimal of so many digits".to_owned(),
        |(name, _)| format!("a call of {name}"),
    )
}

pub(crate) fn comparison(function: Function) -> &'static str {
    match function {
        Function::Equal => "=",
        Function::NotEqual => "<>",
        Function::Less => "<",
        Function::LessEqual => "<=",
        Function::Greater => ">",
        _ => ">=",
    }
}

/// Two values in a type that both can be compared in.
fn alike(left: &Value, right: &Value) -> (String, String) {
    let floats = left.ty == Type::Float || right.ty == Type::Float;
    if floats && left.ty != right.ty {
        (float(left), float(right))
    } else {
        (left.sql.clone(), right.sql.clone())
    }
}

/// A number as a float.
pub(crate) fn float(value: &Value) -> String {
    match value.ty {
        Type::Float => value.sql.clone(),
        _ => format!("{}::double precision", value.sql),
    }
}

/// The day of a date or moment.
fn day(value: &Value) -> String {
    if matches!(value.ty, Type::Moment | Type::Null) {
        format!("{}::date", value.sql)
    } else {
        value.sql.clone()
    }
}

fn count(sql: &str) -> String {
    format!("greatest(least({sql}, 1000000000), 0)::integer")
}

fn converted(args: &[Value], ty: Type) -> Result<Vec<String>, Refused> {
    args.iter().map(|arg| cast(arg, ty)).collect()
}

fn case(args: &[Value], ty: Type) -> Result<String, Refused> {
    let mut sql = "(case".to_owned();
    for pair in args.chunks(2) {
        match pair {
            [condition, value] => sql += &format!(" when {} then {}", condition.sql, cast(value, ty)?),
            rest => sql += &format!(" else {}", cast(&rest[0], ty)?),
        }
    }
    Ok(sql + " end)")
}

fn arithmetic(function: Function, args: &[Value], ty: Type) -> Result<String, Refused> {
    let (left, right) = (&args[0], &args[1]);
    let (a, b) =
        if ty == Type::Float { (float(left), float(right)) } else { (left.sql.clone(), right.sql.clone()) };
    let dates = |ty: Type| matches!(ty, Type::Date);
    Ok(match function {
        Function::Add if ty == Type::Date => {
            let (day, days) = if dates(left.ty) { (&a, &b) } else { (&b, &a) };
            format!("({day} + {days}::integer)")
        }
        Function::Subtract if ty == Type::Date => format!("({a} - {b}::integer)"),
        Function::Subtract if dates(left.ty) => format!("({a} - {b})::bigint"),
        Function::Add => format!("({a} + {b})"),
        Function::Subtract => format!("({a} - {b})"),
        Function::Multiply => format!("({a} * {b})"),
        Function::Divide => format!("({a} / nullif({b}, 0))"),
        Function::Mod if ty == Type::Float => return Err(Refused::new("mod of floats")),
        Function::Mod => format!("({a} % nullif({b}, 0))"),
        _ => format!(
            "(case when {a} > 0 or {b} = floor({b}) and {a} < 0 or {a} = 0 and {b} >= 0 then power({a}, {b}) end)"
        ),
    })
}

fn round(args: &[Value]) -> Result<String, Refused> {
    let value = &args[0];
    let places = match args.get(1).map(|arg| &arg.fixed) {
        None => 0,
        Some(Some(fixed)) => fixed.lane().map_or(0, |places| places.clamp(-30, 30)),
        Some(None) => return Err(Refused::new("round to places that differ from row to row")),
    };
    Ok(match value.ty {
        Type::Float => {
            let scaled = format!("({} * 1e{places}::double precision)", value.sql);
            format!("({} / 1e{places}::double precision)", half_away(&scaled))
        }
        Type::Integer => format!("round({}::numeric, {})::bigint", value.sql, places.min(0)),
        Type::Decimal(scale) => format!("round({}, {})", value.sql, places.min(i128::from(scale))),
        _ => value.sql.clone(),
    })
}

/// A float rounded to the nearest whole number, halves away from zero.
fn half_away(sql: &str) -> String {
    format!("(trunc({sql}) + (case when abs({sql} - trunc({sql})) >= 0.5 then sign({sql}) else 0 end))")
}

/// A value as another type: as the language converts it.
pub(crate) fn cast(value: &Value, ty: Type) -> Result<String, Refused> {
    let sql = &value.sql;
    let unlike = || Err(Refused::new(format!("a cast from {} to {ty}", value.ty)));
    Ok(match (value.ty, ty) {
        (from, to) if from == to => sql.clone(),
        (Type::Null, to) => format!("{sql}::{}", server_type(to)),
        (_, Type::Float) if value.ty.is_number() => float(value),
        (Type::Integer | Type::Decimal(_), Type::Decimal(scale)) => format!("round({sql}::numeric, {scale})"),
        (Type::Decimal(_), Type::Integer) => format!("round({sql}, 0)::bigint"),
        (Type::Float, Type::Integer) => format!("{}::bigint", half_away(sql)),
        (Type::Period(_), Type::Integer) => sql.clone(),
        (Type::Boolean, Type::Integer) => format!("{sql}::integer::bigint"),
        (Type::Integer, Type::Period(period)) if period.reads_as_integer() => sql.clone(),
        (Type::Date, Type::Period(period)) => periods::of_day(period, sql, 1),
        (Type::Moment, Type::Date) => format!("{sql}::date"),
        (Type::Moment, Type::Time) => format!("{sql}::time"),
        (Type::Date, Type::Moment) => format!("{sql}::timestamp"),
        (Type::Integer | Type::Boolean, Type::Text) => format!("({sql}::text collate \"C\")"),
        (Type::Decimal(scale), Type::Text) => format!("(round({sql}, {scale})::text collate \"C\")"),
        (Type::Date, Type::Text) => format!("(to_char({sql}, 'YYYY-MM-DD') collate \"C\")"),
        _ => return unlike(),
    })
}

fn substring(args: &[Value]) -> String {
    let bounded = |at: usize| format!("greatest(least({}, 1000000000), -1000000000)", args[at].sql);
    let first = format!("greatest({}, 1)", bounded(1));
    match args.get(2) {
        None => format!("substr({}, {first}::integer)", args[0].sql),
        Some(_) => {
            let end = format!("({} + greatest({}, 0))", bounded(1), bounded(2));
            format!("substr({}, {first}::integer, greatest({end} - {first}, 0)::integer)", args[0].sql)
        }
    }
}

fn extract(unit: Unit, value: &Value) -> String {
    let part = |name: &str| format!("extract({name} from {})", value.sql);
    match unit {
        Unit::Period(period) => periods::of_day(period, &day(value), 1),
        Unit::Hour => format!("{}::bigint", part("hour")),
        Unit::Minute => format!("{}::bigint", part("minute")),
        Unit::Second => format!("floor({})::bigint", part("second")),
    }
}

fn band(args: &[Value]) -> Result<String, Refused> {
    let bounds: Option<Vec<Scalar>> = args[1..].iter().map(|arg| arg.fixed.clone()).collect();
    let Some(bounds) = bounds else { return Err(Refused::new("a band whose bounds differ from row to row")) };
    let labels: Vec<String> =
        band_labels(&bounds).iter().map(|l| format!("'{}'", l.replace('\'', "''"))).collect();
    let mut sql = format!("(case when {} is null then null", args[0].sql);
    for (bound, label) in args[1..].iter().zip(&labels) {
        let (value, bound) = alike(&args[0], bound);
        sql += &format!(" when {value} < {bound} then {label}");
    }
    Ok(format!("{sql} else {} end)", labels.last().map_or("null", String::as_str)))
}

/// What `trim` takes off: all that Unicode calls white space.
const BLANKS: &str = r"E' \t\n\u000b\f\r\u0085\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000'";
