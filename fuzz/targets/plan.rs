#![no_main]

use jade_trials::Reader;

jade_fuzz::target!(Reader::Plan);
