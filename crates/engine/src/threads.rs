//! The threads of a run.

use crate::memory::Budget;
use jade_plan::CoreError;

/// As many threads as the budget allows.
///
/// # Errors
/// [`CoreError::Setting`] where the system gives none.
pub fn pool(budget: Budget) -> Result<rayon::ThreadPool, CoreError> {
    rayon::ThreadPoolBuilder::new()
        .num_threads(budget.threads)
        .build()
        .map_err(|e| CoreError::Setting(format!("The threads could not be started: {e}.")))
}
