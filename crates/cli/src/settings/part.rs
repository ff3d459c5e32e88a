//! Which part of a firing a machine makes, where a batch engine says so.

use kiln_core::plan::PartOf;

use crate::failure::Failure;
use crate::wording::PartWish;

/// The part that is wanted.
pub(super) fn resolve(wish: PartWish) -> Result<PartOf, Failure> {
    match wish {
        PartWish::Told(part) => Ok(part),
        PartWish::Auto => told(|name| std::env::var(name).ok()),
    }
}

/// What a batch engine says in the environment of a task.
fn told(variable: impl Fn(&str) -> Option<String>) -> Result<PartOf, Failure> {
    let wrong = Failure::NoPart;
    let number = |name: &str| -> Result<Option<u32>, Failure> {
        let Some(text) = variable(name) else {
            return Ok(None);
        };
        let told = text.trim().parse().map(Some);
        told.map_err(|_| wrong(format!("{name} is no whole number: {text}")))
    };
    // Slurm's arrays, whose numbers may begin anywhere and have steps.
    if let Some(task) = number("SLURM_ARRAY_TASK_ID")? {
        let first = number("SLURM_ARRAY_TASK_MIN")?.unwrap_or(1);
        let step = number("SLURM_ARRAY_TASK_STEP")?.unwrap_or(1).max(1);
        let tasks = number("SLURM_ARRAY_TASK_COUNT")?;
        let part = task.checked_sub(first).map(|beyond| beyond / step + 1);
        let told = part.zip(tasks);
        return told
            .and_then(|(part, tasks)| PartOf::new(part, tasks))
            .ok_or_else(|| {
                let says = "SLURM_ARRAY_TASK_ID, _MIN, _STEP and _COUNT do not go together; say --part K/N";
                wrong(says.to_owned())
            });
    }
    // Kubernetes' indexed jobs, which do not tell their tasks how many there are.
    if let Some(index) = number("JOB_COMPLETION_INDEX")? {
        let told = number("KILN_PARTS")?.and_then(|of| PartOf::new(index.checked_add(1)?, of));
        return told.ok_or_else(|| {
            let says = format!(
                "JOB_COMPLETION_INDEX is {index}, and KILN_PARTS has to say how many parts there are: the completions of the job"
            );
            wrong(says)
        });
    }
    let says = "no batch engine says which part this is (SLURM_ARRAY_TASK_ID, JOB_COMPLETION_INDEX); say --part K/N";
    Err(wrong(says.to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(variables: &[(&str, &str)]) -> Result<String, String> {
        let variable = |name: &str| {
            let found = variables.iter().find(|(known, _)| *known == name);
            found.map(|(_, value)| (*value).to_owned())
        };
        let told = told(variable);
        told.map(|part| part.to_string())
            .map_err(|failure| failure.to_string())
    }

    #[test]
    fn batch_engines_say_which_part_it_is() {
        let slurm = |id, first, step, count| {
            of(&[
                ("SLURM_ARRAY_TASK_ID", id),
                ("SLURM_ARRAY_TASK_MIN", first),
                ("SLURM_ARRAY_TASK_STEP", step),
                ("SLURM_ARRAY_TASK_COUNT", count),
                ("JOB_COMPLETION_INDEX", "9"),
            ])
        };
        assert_eq!(slurm("1", "1", "1", "8").as_deref(), Ok("1/8"));
        assert_eq!(slurm("14", "0", "2", "8").as_deref(), Ok("8/8"));
        assert!(slurm("9", "1", "1", "8").is_err() && slurm("0", "1", "1", "8").is_err());
        let words = slurm("x", "1", "1", "8").expect_err("no number");
        assert!(
            words.contains("SLURM_ARRAY_TASK_ID is no whole number: x"),
            "{words}"
        );
        let index = ("JOB_COMPLETION_INDEX", "7");
        assert_eq!(of(&[index, ("KILN_PARTS", "8")]).as_deref(), Ok("8/8"));
        let words = of(&[index]).expect_err("how many?");
        assert!(words.contains("KILN_PARTS has to say"), "{words}");
        assert!(of(&[index, ("KILN_PARTS", "7")]).is_err());
        assert!(of(&[]).is_err());
    }
}
