"""C's facts, and C++'s as far as tokens go."""

from __future__ import annotations

from jamkey.languages.base import Idioms
from jamkey.languages.scan import C_LIKE
from jamkey.languages.token_shapes import Grammar
from jamkey.languages.tokened import Tokened


class CLanguage(Tokened):
    """C, and C++'s as far as tokens go as Jam Key knows it."""

    name = "c"
    tree = "c++"
    lexer = "cpp"
    idioms = Idioms(
        missing="NULL",
        true="true",
        false="false",
        to_text="{0}",
        to_whole="atoi({0})",
        to_number="atof({0})",
        to_list="{0}",
        not_missing="{0} != NULL",
        is_missing="{0} == NULL",
        choice="{1} ? {0} : {2}",
        length="sizeof {0} / sizeof {0}[0]",
        lookup="{0}[{1}]",
        whole_division="/",
        comment="//",
        import_module="#include <{0}.h>",
        from_module='#include "{0}.h"',
        import_as="#include <{0}.h>",
        lowered="",
        raised="",
        stripped="",
        look_alikes={
            "null": "NULL",
            "nil": "NULL",
            "None": "NULL",
            "nullptr": "NULL",
            "True": "true",
            "False": "false",
            "string": "char *",
        },
    )
    style = C_LIKE
    grammar = Grammar(typed=True, function_words=frozenset())
    keywords = frozenset(
        """
        alignas auto bool break case catch char class const constexpr continue default delete do double else enum
        explicit extern float for friend goto if inline int long namespace new noexcept nullptr operator private
        protected public register return short signed sizeof static struct switch template this throw try typedef
        typename union unsigned using virtual void volatile while
    """.split()
    )
    builtins = frozenset(
        ["NULL", "std", "main", "printf", "malloc", "free", "size_t", "true", "false", "stderr", "stdout", "stdin"]
    )
    imports = {
        "printf": "#include <stdio.h>",
        "fprintf": "#include <stdio.h>",
        "scanf": "#include <stdio.h>",
        "fopen": "#include <stdio.h>",
        "fclose": "#include <stdio.h>",
        "fgets": "#include <stdio.h>",
        "puts": "#include <stdio.h>",
        "sprintf": "#include <stdio.h>",
        "snprintf": "#include <stdio.h>",
        "FILE": "#include <stdio.h>",
        "stderr": "#include <stdio.h>",
        "stdout": "#include <stdio.h>",
        "stdin": "#include <stdio.h>",
        "perror": "#include <stdio.h>",
        "getchar": "#include <stdio.h>",
        "putchar": "#include <stdio.h>",
        "malloc": "#include <stdlib.h>",
        "calloc": "#include <stdlib.h>",
        "realloc": "#include <stdlib.h>",
        "free": "#include <stdlib.h>",
        "exit": "#include <stdlib.h>",
        "atoi": "#include <stdlib.h>",
        "atof": "#include <stdlib.h>",
        "strtol": "#include <stdlib.h>",
        "strtod": "#include <stdlib.h>",
        "qsort": "#include <stdlib.h>",
        "abs": "#include <stdlib.h>",
        "rand": "#include <stdlib.h>",
        "srand": "#include <stdlib.h>",
        "EXIT_SUCCESS": "#include <stdlib.h>",
        "EXIT_FAILURE": "#include <stdlib.h>",
        "strlen": "#include <string.h>",
        "strcpy": "#include <string.h>",
        "strncpy": "#include <string.h>",
        "strcmp": "#include <string.h>",
        "strncmp": "#include <string.h>",
        "strcat": "#include <string.h>",
        "strstr": "#include <string.h>",
        "strchr": "#include <string.h>",
        "strtok": "#include <string.h>",
        "memcpy": "#include <string.h>",
        "memset": "#include <string.h>",
        "strdup": "#include <string.h>",
        "memcmp": "#include <string.h>",
        "sqrt": "#include <math.h>",
        "pow": "#include <math.h>",
        "sin": "#include <math.h>",
        "cos": "#include <math.h>",
        "tan": "#include <math.h>",
        "exp": "#include <math.h>",
        "log": "#include <math.h>",
        "floor": "#include <math.h>",
        "ceil": "#include <math.h>",
        "fabs": "#include <math.h>",
        "round": "#include <math.h>",
        "M_PI": "#include <math.h>",
        "bool": "#include <stdbool.h>",
        "true": "#include <stdbool.h>",
        "false": "#include <stdbool.h>",
        "int32_t": "#include <stdint.h>",
        "int64_t": "#include <stdint.h>",
        "uint8_t": "#include <stdint.h>",
        "uint16_t": "#include <stdint.h>",
        "uint32_t": "#include <stdint.h>",
        "uint64_t": "#include <stdint.h>",
        "assert": "#include <assert.h>",
        "isdigit": "#include <ctype.h>",
        "toupper": "#include <ctype.h>",
        "tolower": "#include <ctype.h>",
        "isalpha": "#include <ctype.h>",
        "time": "#include <time.h>",
        "size_t": "#include <stddef.h>",
    }


LANGUAGE = CLanguage()
