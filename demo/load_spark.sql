-- The tables of the demo for an engine that speaks as Apache Spark does: views of the files in FOLDER, one statement after the other.
-- load_flight.py puts in the folder and runs them.
create or replace temporary view customer_file using csv options (path 'FOLDER/customer.csv', header 'true', inferSchema 'false');
create or replace temporary view customer as
    select code, name, segment, town, region, cast(joined_on as date) as joined_on from customer_file;
create or replace temporary view product_file using csv options (path 'FOLDER/product.csv', header 'true', inferSchema 'false');
create or replace temporary view product as
    select sku, name, family, category, cast(list_price as decimal(12, 2)) as list_price from product_file;
create or replace temporary view order_time_file using csv options (path 'FOLDER/order_time.csv', header 'true', inferSchema 'false');
create or replace temporary view order_time as
    select cast(order_no as bigint) as order_no, cast(placed_time as time) as placed_time from order_time_file;
create or replace temporary view price_file using csv options (path 'FOLDER/price.csv', header 'true', inferSchema 'false');
create or replace temporary view price as
    select sku, cast(valid_from as date) as valid_from, cast(listed as decimal(12, 2)) as listed from price_file;
create or replace temporary view order_line_file using csv options (path 'FOLDER/order_line.csv', header 'true', inferSchema 'false');
create or replace temporary view order_line as
    select cast(order_no as bigint) as order_no, cast(line_no as bigint) as line_no, customer_code, sku, cast(ordered_on as date) as ordered_on, cast(shipped_on as date) as shipped_on, cast(due_on as date) as due_on, cast(quantity as bigint) as quantity, cast(unit_price as decimal(12, 2)) as unit_price, cast(unit_cost as decimal(12, 2)) as unit_cost, cast(discount as decimal(4, 2)) as discount from order_line_file;
create or replace temporary view target_file using csv options (path 'FOLDER/target.csv', header 'true', inferSchema 'false');
create or replace temporary view target as
    select cast(concat(month, '-01') as date) as month, region, cast(amount as decimal(12, 2)) as amount from target_file;
create or replace temporary view stock_file using csv options (path 'FOLDER/stock.csv', header 'true', inferSchema 'false');
create or replace temporary view stock as
    select cast(counted_on as date) as counted_on, sku, cast(on_hand as bigint) as on_hand from stock_file;
create or replace temporary view interest_file using csv options (path 'FOLDER/interest.csv', header 'true', inferSchema 'false');
create or replace temporary view interest as
    select customer_code, interest from interest_file;
create or replace temporary view holiday_file using csv options (path 'FOLDER/holiday.csv', header 'true', inferSchema 'false');
create or replace temporary view holiday as
    select cast(day as date) as day, name from holiday_file;
