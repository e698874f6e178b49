-- +goose Up
-- A review's charts remember what they are narrowed to.
update review set body = json_set(json_remove(body, '$.measures'), '$.charts',
  (select json_group_array(json_object('measure', value)) from json_each(review.body, '$.measures')))
  where json_type(body, '$.measures') = 'array';
update review set body = json_remove(body, '$.measures') where json_type(body, '$.measures') is not null;
