from .sliced_file import SlicedFile as SlicedFile
from .sliced_files import CheckedFiles as CheckedFiles
from .sliced_files import ChosenFile as ChosenFile
from .sliced_files import KeptFile as KeptFile
from .sliced_files import check_files as check_files
from .sliced_files import keep_file as keep_file
from .sliced_files import kept_files as kept_files
from .sliced_files import load_files as load_files
