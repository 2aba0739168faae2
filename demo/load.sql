-- The tables of the demo in a PostgreSQL database: psql "$SHOP_URL" -f load.sql, from the folder of the files.
set client_min_messages to warning;
drop table if exists customer, product, order_time, price, order_line, target, stock, interest, holiday;
create table customer (code text primary key, name text, segment text, town text, region text, joined_on date);
create table product (sku text primary key, name text, family text, category text, list_price numeric(12, 2));
create table order_time (order_no bigint primary key, placed_time time);
create table price (sku text, valid_from date, listed numeric(12, 2), primary key (sku, valid_from));
create table order_line (
    order_no bigint, line_no bigint, customer_code text, sku text, ordered_on date, shipped_on date, due_on date,
    quantity bigint, unit_price numeric(12, 2), unit_cost numeric(12, 2), discount numeric(4, 2)
);
create table target (month text, region text, amount numeric(12, 2));
create table stock (counted_on date, sku text, on_hand bigint);
create table interest (customer_code text, interest text);
create table holiday (day date primary key, name text);
\copy customer from 'customer.csv' (format csv, header true)
\copy product from 'product.csv' (format csv, header true)
\copy order_time from 'order_time.csv' (format csv, header true)
\copy price from 'price.csv' (format csv, header true)
\copy order_line from 'order_line.csv' (format csv, header true)
\copy target from 'target.csv' (format csv, header true)
\copy stock from 'stock.csv' (format csv, header true)
\copy interest from 'interest.csv' (format csv, header true)
\copy holiday from 'holiday.csv' (format csv, header true)
-- A goal is one of a month: its first day stands for it.
alter table target alter column month type date using to_date(month, 'YYYY-MM');
analyze customer, product, order_time, price, order_line, target, stock, interest, holiday;
