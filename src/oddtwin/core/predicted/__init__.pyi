from .agreements import PredictedRun as PredictedRun
from .agreements import RunAgreement as RunAgreement
from .agreements import agreements as agreements
from .agreements import calibrations as calibrations
from .agreements import declared_factors as declared_factors
from .agreements import filament_of as filament_of
from .agreements import sliced_arms as sliced_arms
