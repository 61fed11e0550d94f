//! Journeys through the real interface, and the processes as a whole.

mod apply_command;
mod barriers;
mod bench;
mod demo_command;
mod encode;
mod first_picture;
mod hidden;
mod jobs;
mod layouts;
mod library;
mod margins;
mod measure_command;
mod measuring;
mod places;
mod publish;
mod responsive;
mod run_command;
mod run_faults;
mod runs;
mod sheets;
mod sites;
mod sudden_end;
mod tasks;
mod together;
mod ways;
mod weigh_command;
