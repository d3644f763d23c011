from .merging import merged as merged
from .model import Threat as Threat
from .model import ThreatCode as ThreatCode
from .model import Weight as Weight
