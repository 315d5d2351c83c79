# Watches what a program works with, as `watch.js` does. R knows its own code best: the script is read here, and calls of
# ours put around what can go wrong without a word, before it is evaluated.
#
# R reads this before the program, as the user's profile. Each line that is written: file, line, what was odd, how often,
# an example, between tabs. In the place of a script's text stands `.jamkey_watched("the text's copy", "its name")`.

if (file.exists(".Rprofile")) source(".Rprofile")

.jamkey <- new.env()
.jamkey$out <- Sys.getenv("JAMKEY_WATCH")
.jamkey$until <- proc.time()[["elapsed"]] + as.numeric(Sys.getenv("JAMKEY_WATCH_SECONDS", "20"))
.jamkey$seen <- new.env()
.jamkey$looks <- new.env()
.jamkey$steps <- new.env()
.jamkey$file <- ""
.jamkey$SIGNS <- c("+", "-", "*", "/", "%%", "%/%", "^", "<", ">", "<=", ">=", "==", "!=", "%in%", ":")
.jamkey$AS_IS <- c("~", "quote", "bquote", "substitute", "expression", ":=", "library", "require", "missing", "is.null", "%||%")
.jamkey$NUMBERS <- c("as.numeric", "as.integer", "as.double")
.jamkey$ORDER <- c("sort", "order", "rank", "max", "min", "range", "which.max", "which.min")
.jamkey$OF_MANY <- c("sum", "mean", "median", "sd", "var", "max", "min")
.jamkey$NUMBER <- "^\\s*[+-]?[0-9]+([.][0-9]+)?(e[+-]?[0-9]+)?\\s*$"

.jamkey$looking <- function(site) {
  count <- .jamkey$looks[[site]]
  count <- if (is.null(count)) 1 else count + 1
  assign(site, count, envir = .jamkey$looks)
  count <= 5000 && proc.time()[["elapsed"]] < .jamkey$until
}

.jamkey$odd <- function(site, code, example) {
  key <- paste(site, code, sep = "\t")
  known <- .jamkey$seen[[key]]
  assign(key, list(count = if (is.null(known)) 1 else known$count + 1, example = if (is.null(known)) example else known$example), envir = .jamkey$seen)
}

.jamkey$cut <- function(text, most = 60) if (nchar(text) > most) paste0(substr(text, 1, most - 3), "...") else text

.jamkey$told <- function(value) {
  if (is.null(value)) return("NULL")
  if (is.factor(value)) value <- as.character(value)
  if (!is.atomic(value)) return(paste("a", class(value)[1]))
  some <- value[seq_len(min(length(value), 6))]
  words <- if (is.character(some)) encodeString(some, quote = '"', na.encode = FALSE) else format(some, digits = 15, trim = TRUE)
  words <- paste(words, collapse = ", ")
  .jamkey$cut(if (length(value) == 1) words else if (length(value) > 6) paste0("(", words, ", ...)") else paste0("(", words, ")"))
}

.jamkey$numeric <- function(value) is.character(value) && length(value) > 0 && !anyNA(value) && all(grepl(.jamkey$NUMBER, value))

.jamkey_op <- function(site, sign, a, b) {
  made <- match.fun(sign)(a, b)
  if (!.jamkey$looking(site) || is.object(a) && !is.factor(a) || is.object(b) && !is.factor(b)) return(made)
  if (!is.atomic(a) || !is.atomic(b)) return(made)
  odd <- function(code) .jamkey$odd(site, code, paste(.jamkey$told(a), sign, .jamkey$told(b), "is", .jamkey$told(made)))
  long <- c(length(a), length(b))
  if (sign == ":") {
    if (length(made) == 2 && long[1] == 1 && a == 1 && b == 0) odd("counts-down")
    return(made)
  }
  if (sign == "%in%") return(made)
  if (all(long > 1) && long[1] != long[2]) {
    .jamkey$odd(site, "recycled", paste0("one has ", long[1], " values and the other ", long[2]))
  }
  if (sign %in% c("<", ">", "<=", ">=")) {
    if ((is.character(a) || is.character(b)) && .jamkey$numeric(as.character(a)) && .jamkey$numeric(as.character(b))) {
      same <- identical(as.vector(made), match.fun(sign)(as.numeric(a), as.numeric(b)))
      odd(if (same) "text-compared" else "text-order")
    }
  } else if (sign %in% c("==", "!=")) {
    if (long[1] == 1 && is.na(a) || long[2] == 1 && is.na(b)) odd("never-equal")
    else if (is.double(a) && is.double(b) && all(long > 0)) {
      apart <- !is.na(a - b) & a != b & abs(a - b) < 1e-9 * pmax(abs(a), abs(b))
      if (any(apart)) odd("nearly-equal")
    }
  } else if (is.numeric(made) && is.numeric(a) && is.numeric(b)) {
    new <- is.nan(made) & !is.na(a) & !is.na(b) | sign == "/" & is.infinite(made) & is.finite(a) & is.finite(b)
    if (any(new, na.rm = TRUE)) odd("gaps-spread")
  }
  made
}

.jamkey_get <- function(site, object, name, how) {
  made <- if (how == "$") eval(call("$", quote(object), as.name(name))) else object[[name]]
  if (!.jamkey$looking(site) || !is.list(object) || is.environment(object)) return(made)
  if (is.null(made) && length(names(object)) && !(name %in% names(object))) {
    .jamkey$odd(site, "not-there", paste(c(name, names(object)), collapse = "\x1f"))
  }
  made
}

.jamkey_at <- function(site, object, index) {
  made <- object[index]
  if (length(index) != 1 || !is.numeric(index) || is.na(index) || !.jamkey$looking(site)) return(made)
  size <- length(object)
  if (index == 0) .jamkey$odd(site, "nothing-used", "place 0 is nothing: the first place is 1")
  if (index == 1) .jamkey$odd(site, "at-first", "")
  if (index == size) .jamkey$odd(site, "at-last", "")
  went <- .jamkey$steps[[site]]
  if (is.null(went)) went <- list(first = index, last = index, size = size, rounds = list())
  else if (index == went$last + 1 && size == went$size) went$last <- index
  else {
    went <- .jamkey$ended(went)
    went[c("first", "last", "size")] <- list(index, index, size)
  }
  assign(site, went, envir = .jamkey$steps)
  made
}

.jamkey$ended <- function(went) {
  if (went$last > went$first && length(went$rounds) < 1000) went$rounds[[length(went$rounds) + 1]] <- c(went$first, went$last, went$size)
  went
}

.jamkey_called <- function(site, name, x, ...) {
  made <- match.fun(name)(x, ...)
  if (!.jamkey$looking(site)) return(made)
  odd <- function(code, example) .jamkey$odd(site, code, example)
  if (name %in% .jamkey$NUMBERS) {
    if (is.factor(x)) {
      if (.jamkey$numeric(levels(x))) odd("codes-read", paste(.jamkey$told(x), "gives", .jamkey$told(made)))
    } else if (is.character(x)) {
      lost <- is.na(made) & !is.na(x) & nzchar(x)
      if (any(lost)) odd("gaps-made", paste(.jamkey$told(x[lost][1]), "gives NA"))
      else if (any(!is.na(made) & made != as.numeric(x))) odd("fraction-lost", paste(.jamkey$told(x), "gives", .jamkey$told(made)))
    }
  }
  if (name %in% .jamkey$ORDER && !is.object(x) && .jamkey$numeric(x) && length(x) > 1) {
    if (any(order(x) != order(as.numeric(x)))) odd("text-order", .jamkey$told(sort(x)))
  }
  if (name %in% .jamkey$OF_MANY && isTRUE(list(...)$na.rm) && anyNA(x)) {
    odd("gaps-skipped", sprintf("%d of %d values", sum(is.na(x)), length(x)))
  }
  if (name == "merge" && is.data.frame(x) && is.data.frame(made)) {
    if (nrow(made) > nrow(x)) odd("rows-more", sprintf("%d rows become %d", nrow(x), nrow(made)))
    else if (nrow(made) < nrow(x)) odd("rows-fewer", sprintf("%d rows become %d", nrow(x), nrow(made)))
  }
  made
}

.jamkey_over <- function(site, value) {
  if (.jamkey$looking(site)) {
    if (length(value) == 0) .jamkey$odd(site, "nothing-left", "there is no value")
    else if (inherits(value, c("Date", "POSIXct"))) .jamkey$odd(site, "class-lost", paste(.jamkey$told(format(value[1])), "comes as", format(unclass(value[1]), digits = 15)))
    else if (is.data.frame(value)) .jamkey$odd(site, "columns-not-rows", sprintf("%d columns, not %d rows", length(value), nrow(value)))
    else .jamkey$odd(site, "went", "")
  }
  value
}

.jamkey_dropped <- function(site, made, before) {
  shown <- withVisible(made)
  if (shown$visible && .jamkey$looking(site) && identical(class(made), class(before)) && !is.function(made) && !identical(made, before)) {
    .jamkey$odd(site, "dropped", paste(.jamkey$told(before), "stays, and", .jamkey$told(made), "is thrown away"))
  }
  made
}

.jamkey$site <- function(line, sort) paste(.jamkey$file, line, sort, sep = "\t")

.jamkey$woven <- function(e, line, loops = character()) {
  if (!is.call(e)) return(e)
  if (!is.name(e[[1]])) {
    e[[1]] <- .jamkey$woven(e[[1]], line, loops)
    return(.jamkey$inside(e, 2, line, loops))
  }
  name <- as.character(e[[1]])
  of_base <- !(name %in% .jamkey$own)
  if (name == "function") {
    e[[3]] <- .jamkey$woven(e[[3]], line, loops)
  } else if (name %in% .jamkey$AS_IS) {
    return(e)
  } else if (name == "{") {
    lines <- attr(e, "srcref")
    for (place in seq_along(e)[-1]) {
      at <- if (length(lines) >= place) lines[[place]][1] else line
      if (is.call(e[[place]])) {
        made <- .jamkey$woven(e[[place]], at, loops)
        if (place < length(e) || length(loops)) made <- .jamkey$not_used(e[[place]], made, at)
        e[[place]] <- made
      }
    }
  } else if (name %in% c("<-", "<<-", "=", "->", "->>") && length(e) == 3) {
    if (is.call(e[[3]])) e[[3]] <- .jamkey$woven(e[[3]], line, loops)
  } else if (name == "for") {
    over <- .jamkey$woven(e[[3]], line, loops)
    e[[3]] <- as.call(list(quote(.jamkey_over), .jamkey$site(line, "over"), over))
    if (is.call(e[[4]])) e[[4]] <- .jamkey$woven(e[[4]], line, c(loops, as.character(e[[2]])))
  } else if (name %in% .jamkey$SIGNS && length(e) == 3) {
    e <- .jamkey$inside(e, 2, line, loops)
    .jamkey$number <- .jamkey$number + 1
    return(as.call(list(quote(.jamkey_op), .jamkey$site(line, .jamkey$number), name, e[[2]], e[[3]])))
  } else if (name == "$" && is.name(e[[3]])) {
    object <- .jamkey$woven(e[[2]], line, loops)
    return(as.call(list(quote(.jamkey_get), .jamkey$site(line, as.character(e[[3]])), object, as.character(e[[3]]), "$")))
  } else if (name == "[[" && length(e) == 3 && is.character(e[[3]])) {
    object <- .jamkey$woven(e[[2]], line, loops)
    return(as.call(list(quote(.jamkey_get), .jamkey$site(line, e[[3]]), object, e[[3]], "[[")))
  } else if (name == "[" && length(e) == 3 && (is.numeric(e[[3]]) || length(all.vars(e[[3]])) && all(all.vars(e[[3]]) %in% loops))) {
    object <- e[[2]]
    e <- .jamkey$inside(e, 2, line, loops)
    about <- paste(deparse(object), collapse = " ")
    .jamkey$number <- .jamkey$number + 1
    return(as.call(list(quote(.jamkey_at), .jamkey$site(line, paste(.jamkey$number, about)), e[[2]], e[[3]])))
  } else if (grepl("^%.*%$", name)) {
    if (is.call(e[[2]])) e[[2]] <- .jamkey$woven(e[[2]], line, loops)
  } else {
    e <- .jamkey$inside(e, 2, line, loops)
    plain <- length(e) > 1 && !identical(e[[2]], quote(expr = )) && (is.null(names(e)) || names(e)[2] %in% c("", "x")) && !identical(e[[2]], quote(...))
    if (of_base && plain && name %in% c(.jamkey$NUMBERS, .jamkey$ORDER, .jamkey$OF_MANY, "merge")) {
      .jamkey$number <- .jamkey$number + 1
      return(as.call(c(list(quote(.jamkey_called), .jamkey$site(line, .jamkey$number), name), as.list(e)[-1])))
    }
  }
  e
}

.jamkey$inside <- function(e, first, line, loops) {
  for (place in seq_along(e)) {
    if (place >= first && is.call(e[[place]])) e[[place]] <- .jamkey$woven(e[[place]], line, loops)
  }
  e
}

# A call of the language's own whose value is used by nobody; the last statement of a function gives its value back.
.jamkey$not_used <- function(e, made, line) {
  name <- if (is.name(e[[1]])) as.character(e[[1]]) else ""
  told <- c("print", "cat", "message", "invisible", "stop", "warning", "return", "library", "if", "for", "while", "repeat", "set.seed")
  known <- nzchar(name) && grepl("^[a-z]", name) && !(name %in% c(told, .jamkey$own)) && exists(name, envir = baseenv()) && is.function(get(name, envir = baseenv()))
  if (!known || length(e) < 2 || !is.name(e[[2]]) || identical(e[[2]], quote(expr = ))) return(made)
  as.call(list(quote(.jamkey_dropped), .jamkey$site(line, "dropped"), made, e[[2]]))
}

.jamkey$evaluated <- function(text, name, envir) {
  .jamkey$file <- name
  parsed <- parse(text, keep.source = TRUE)
  lines <- attr(parsed, "srcref")
  .jamkey$own <- c(.jamkey$own, all.names(parsed)[all.names(parsed) %in% unlist(lapply(parsed, .jamkey$sets))])
  .jamkey$number <- 0
  woven <- lapply(seq_along(parsed), function(place) .jamkey$woven(parsed[[place]], lines[[place]][1]))
  shown <- list(value = NULL, visible = FALSE)
  for (e in woven) {
    shown <- withVisible(eval(e, envir))
    if (shown$visible && identical(envir, globalenv())) print(shown$value)
  }
  invisible(shown)
}
.jamkey$own <- character()

# Names that a statement gives something.
.jamkey$sets <- function(e) {
  if (is.call(e) && as.character(e[[1]])[1] %in% c("<-", "=", "<<-") && length(e) == 3 && is.name(e[[2]])) as.character(e[[2]])
}

.jamkey_watched <- function(text, name) {
  .jamkey$evaluated(text, name, globalenv())
  invisible()
}

.jamkey$tell <- function() {
  for (site in ls(.jamkey$steps, all.names = TRUE)) {
    rounds <- .jamkey$ended(.jamkey$steps[[site]])$rounds
    if (!length(rounds)) next
    is_last <- all(vapply(rounds, function(it) it[1] == 1 && it[2] == it[3] - 1, NA))
    is_first <- all(vapply(rounds, function(it) it[1] == 2 && it[2] == it[3], NA))
    is_past <- all(vapply(rounds, function(it) it[2] == it[3] + 1, NA))
    one <- rounds[[1]]
    if (is_past) .jamkey$odd(site, "past-end", sprintf("places %d to %d are used, and there are %d", one[1], one[2], one[3]))
    if (is_last) .jamkey$odd(site, "last-left-out", sprintf("places 1 to %d of %d are used, the last is not", one[2], one[3]))
    if (is_first) .jamkey$odd(site, "first-left-out", sprintf("places 2 to %d of %d are used, the first is not", one[2], one[3]))
  }
  rows <- vapply(ls(.jamkey$seen, all.names = TRUE), function(key) {
    known <- .jamkey$seen[[key]]
    parts <- strsplit(key, "\t", fixed = TRUE)[[1]]
    about <- sub("^[0-9]+ ", "", parts[3])
    paste(parts[1], parts[2], parts[4], known$count, gsub("[\t\r\n]+", " ", known$example), about, sep = "\t")
  }, "")
  writeLines(enc2utf8(rows), .jamkey$out, useBytes = TRUE)
}
.Last <- function() .jamkey$tell()
