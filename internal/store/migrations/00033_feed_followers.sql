-- +goose Up
-- Of what people want to be told of single feeds, where that is not what they are told of usually:
-- who follows a feed of somebody else's, and who wants less of one of their own.
create table feed_followers (
    feed   bigint not null references feeds on delete cascade,
    person bigint not null references people,
    told   text[] not null,
    primary key (feed, person)
);
