"""The trade: every rule and every computation of wheel alignment, without interface code.

A ``Vehicle`` (vehicle.py; patterns/ has the usual ones) has unknowns (state.py). Each kind of reading (readings/) is a
formula (formula.py) that says what its scale shows in a state. One adjustment (blocks.py, adjusted.py, solve.py) turns
readings into a state with its covariance; results.py says what people ask of it, verdict.py judges it, sayback.py puts it
in sentences, diagnose.py proposes causes, missing.py says what to read next, explain.py brings these together. adjust/
says what to turn and what the scales must then show. procedure/ says what is read where and in which order, simulate/ runs
the model forwards with noise. jobfile.py is the door: ``load`` or ``parse`` a job, ``solve_job`` it.

Inside, angles are radians; at every public door they are degrees, and lengths are millimetres.
"""

__version__ = "0.1.0"
