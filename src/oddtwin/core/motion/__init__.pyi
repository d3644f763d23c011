from .limits import Limits as Limits
from .limits import LimitsError as LimitsError
from .limits import limits_as_json as limits_as_json
from .limits import limits_from as limits_from
from .lookahead import corner_speeds as corner_speeds
from .plan import Plan as Plan
from .plan import plan_motion as plan_motion
