# Runs inside the user's R process, before the script, as its site profile. Keeps source references, and when an error
# reaches the top, writes the calls with their places and values. R then halts with status 1, as it always does.
local({
  wire <- Sys.getenv("JAMKEY_WIRE")
  before <- Sys.getenv("JAMKEY_R_PROFILE", NA)
  Sys.unsetenv(c("JAMKEY_WIRE", "JAMKEY_R_PROFILE", "JAMKEY_PYTHONPATH"))
  if (is.na(before)) Sys.unsetenv("R_PROFILE") else Sys.setenv(R_PROFILE = before)
  site <- if (is.na(before) || !nzchar(before)) file.path(R.home("etc"), "Rprofile.site") else before
  if (file.exists(site)) sys.source(site, envir = globalenv())
  if (!nzchar(wire)) return(invisible())
  most <- c(frames = 30L, names = 60L, text = 200L, members = 40L)
  secret <- "pass(word|wd|phrase)|secret|token|api_?key|credential|private_?key"

  quoted <- function(text) {
    text <- enc2utf8(as.character(text)[1L])
    if (is.na(text)) text <- "NA"
    if (!validUTF8(text)) text <- iconv(text, "latin1", "UTF-8", sub = "?")
    encodeString(gsub("[[:cntrl:]]", " ", text), quote = '"')
  }
  short <- function(text) if (nchar(text) > most[["text"]]) paste0(substr(text, 1L, most[["text"]]), "...") else text
  plain <- function(value) {
    if (is.null(value)) return("NULL")
    if (is.function(value)) return("function")
    if (is.environment(value)) return("environment")
    if (is.data.frame(value)) return(paste0(nrow(value), " rows of ", paste(utils::head(names(value), 8L), collapse = ", ")))
    if (is.atomic(value)) {
      first <- unclass(utils::head(as.vector(value), 8L))
      shown <- if (is.factor(value)) as.character(utils::head(value, 8L)) else if (is.character(value)) encodeString(first, quote = '"') else format(first, digits = 6L, trim = TRUE)
      return(paste0(paste(shown, collapse = " "), if (length(value) > 8L) " ..." else ""))
    }
    if (is.list(value)) return(paste0("list of ", length(value), if (length(names(value))) paste0(": ", paste(utils::head(names(value), 8L), collapse = ", "))))
    paste(deparse(value, nlines = 1L), collapse = "")
  }
  described <- function(name, env) {
    value <- get(name, envir = env, inherits = FALSE)
    type <- if (is.null(value)) "NULL" else class(value)[1L]
    text <- if (grepl(secret, name, ignore.case = TRUE)) "(hidden)" else short(plain(value))
    more <- if (is.function(value) || is.environment(value)) "" else paste0(',"length":', length(value))
    if (!is.null(dim(value)) && is.atomic(value) || is.data.frame(value)) more <- paste0(more, ',"shape":[', paste(dim(value), collapse = ","), "]")
    if (is.atomic(value) && !is.null(value)) more <- paste0(more, ',"dtype":', quoted(typeof(value)))
    if (is.list(value) && length(names(value))) more <- paste0(more, ',"members":[', paste(vapply(utils::head(names(value), most[["members"]]), quoted, ""), collapse = ","), "]")
    paste0('{"name":', quoted(name), ',"type":', quoted(type), ',"text":', quoted(text), more, "}")
  }
  # an argument is evaluated when it is first used: one that holds a call may not have been, and looking would run it
  harmless <- c("+", "-", "*", "/", "^", "$", "[", "[[", "(", "c", ":", "::")
  settled <- function(name, env) {
    code <- eval(call("substitute", as.symbol(name)), env)
    !is.language(code) || all(setdiff(all.names(code), all.vars(code)) %in% harmless)
  }
  values <- function(env) {
    found <- character()
    for (name in utils::head(ls(env, sorted = FALSE), most[["names"]])) {
      one <- tryCatch({
        known <- !bindingIsActive(as.symbol(name), env) && (identical(env, globalenv()) || settled(name, env))
        if (!known || is.function(get(name, envir = env, inherits = FALSE))) NULL else described(name, env)
      }, error = function(e) NULL)
      found <- c(found, one)
    }
    paste(found, collapse = ",")
  }
  place <- function(call) {
    ref <- attr(call, "srcref")
    if (is.null(ref)) return(NULL)
    file <- attr(ref, "srcfile")$filename
    text <- tryCatch(getSrcLines(attr(ref, "srcfile"), ref[1L], ref[1L]), error = function(e) "")
    list(file = if (is.null(file)) "" else file, line = ref[1L], column = ref[5L], text = if (length(text)) text[1L] else "")
  }
  # what stands outside of all functions has no place in the calls: the statements of the script that were done are counted
  script <- sub("^--file=", "", grep("^--file=", commandArgs(FALSE), value = TRUE))
  path <- if (length(script) == 1L && nzchar(script)) normalizePath(script, mustWork = FALSE) else ""
  done <- new.env()
  done$count <- 0L
  if (nzchar(path)) addTaskCallback(function(expr, value, ok, visible) {
    done$count <- done$count + 1L
    TRUE
  })
  outside <- function(hung) tryCatch({
    if (!nzchar(path) || !file.exists(path)) return(NULL)
    code <- parse(path, keep.source = TRUE)
    next_one <- done$count + 1L
    if (next_one > length(code)) return(NULL)
    ref <- attr(code, "srcref")[[next_one]]
    # a block is not left at its first line; one that was not left at all is meant from there on
    block <- is.call(code[[next_one]]) && any(c("for", "while", "repeat", "if", "{") %in% all.names(code[[next_one]]))
    if (!hung && block && ref[1L] != ref[3L]) return(NULL)
    list(file = script, line = ref[1L], column = ref[5L], text = getSrcLines(attr(ref, "srcfile"), ref[1L], ref[1L]))
  }, error = function(e) NULL)
  frame <- function(where, name, env) {
    paste0('{"file":', quoted(if (is.null(where) || !nzchar(where$file)) "<script>" else where$file),
           ',"line":', if (is.null(where)) "null" else where$line, if (is.null(where)) "" else paste0(',"column":', where$column, ',"source":', quoted(where$text)),
           ',"function":', quoted(name), ',"values":[', values(env), "]}")
  }
  write <- function(message, calls, frames) {
    upto <- max(0L, length(calls) - 1L) # the last one is the handler
    name <- function(call) if (is.call(call)) paste(deparse(call[[1L]], nlines = 1L), collapse = "")[1L] else ""
    keep <- utils::tail(seq_len(upto), most[["frames"]])
    first <- if (upto) place(calls[[1L]]) else NULL
    hung <- !is.na(seconds) && proc.time()[[3L]] >= seconds # whatever language the message is in
    found <- frame(if (is.null(first)) outside(hung) else first, "", globalenv())
    for (index in keep) {
      # the place in a function's body is known to the call it makes
      inside <- if (index < length(calls)) place(calls[[index + 1L]]) else NULL
      found <- c(found, frame(inside, name(calls[[index]]), frames[[index]]))
    }
    message <- sub("^Error(?: in [^\n]*?)? ?: ?\\s*", "", message, perl = TRUE)
    spent <- proc.time()
    busy <- paste0(',"hang":true,"busy":', round((spent[[1L]] + spent[[2L]]) / max(spent[[3L]], 0.1), 3L))
    cat('{"generation":1', if (hung) busy else "", ',"pid":', Sys.getpid(), ',"version":', quoted(paste(R.version$major, R.version$minor, sep = ".")), ',"implementation":"r","exception":{"type":"","message":',
        quoted(sub("\n+$", "", message)), ',"frames":[', paste(found, collapse = ","), "]}}\n", file = wire, append = TRUE, sep = "")
  }
  seconds <- suppressWarnings(as.numeric(Sys.getenv("JAMKEY_HANG")))
  Sys.unsetenv("JAMKEY_HANG")
  # a second run, when the first one did not end: R itself stops it after that time
  if (!is.na(seconds)) {
    setTimeLimit(elapsed = seconds)
    # which a wait does not notice, but an interrupt
    options(interrupt = function() {
      setTimeLimit()
      write("reached elapsed time limit", sys.calls(), sys.frames())
      q("no", status = 1L, runLast = FALSE)
    })
    if (.Platform$OS.type == "unix") system(sprintf("sleep %.1f && kill -INT %d 2>/dev/null", seconds + 1, Sys.getpid()), wait = FALSE)
  }
  options(keep.source = TRUE, error = function() {
    message <- geterrmessage()
    calls <- sys.calls()
    frames <- sys.frames()
    try(write(message, calls, frames), silent = TRUE)
    # in the language R speaks
    halted <- "Execution halted\n"
    if ("trim" %in% names(formals(gettext))) halted <- tryCatch(gettext(halted, domain = "R", trim = FALSE), error = function(e) halted)
    cat(halted, file = stderr())
    q("no", status = 1L, runLast = FALSE)
  })
})
