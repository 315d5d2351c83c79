# Says of many edits at once what they would do: expressions are evaluated where they stand, when the program has ended.
#
# R reads it before the program, as the user's profile. The environment names two files of ours: what is asked, three lines
# for each text ("site n", "text ...", "form ..." once a form, line ends written as the record separator), and where the answer goes:
# one line a text, words between tabs. `.jamkey_seen(site, expression)` stands in the sources: it keeps the frame that
# asks. Words: passes same other, where the expression as it stands fails; else fails, same or other with the type of the
# value and the number of told words in it, between blanks; - where nothing is known.

if (file.exists(".Rprofile")) source(".Rprofile")

.jamkey <- new.env()
.jamkey$frames <- list()

.jamkey_seen <- function(site, value) {
  # what is asked calls the program's own functions
  if (is.null(.jamkey$done)) .jamkey$frames[[as.character(site)]] <- parent.frame()
  value
}

.jamkey$run <- function(text, frame) {
  tryCatch({
    setTimeLimit(elapsed = 0.3, transient = TRUE)
    parsed <- parse(text = text)
    list(value = eval(parsed, new.env(parent = frame)))
  }, error = function(e) list(failure = conditionMessage(e)), finally = setTimeLimit())
}

.jamkey$type <- function(value) {
  gsub("[\t ]", "_", paste(class(value)[1], if (length(value) == 0) "none" else if (length(value) == 1) "one" else "more"))
}

.jamkey$told_in <- function(value, told) {
  pieces <- c(names(value), if (is.character(value)) value[seq_len(min(length(value), 400))])
  sum(told %in% pieces)
}

.jamkey$word <- function(before, given, told) {
  if (!is.null(before$failure)) {
    if (is.null(given$failure)) "passes" else if (identical(given$failure, before$failure)) "same" else "other"
  } else if (!is.null(given$failure)) {
    "fails error 0"
  } else {
    same <- identical(before$value, given$value)
    paste(if (same) "same" else "other", .jamkey$type(given$value), .jamkey$told_in(given$value, told))
  }
}

.jamkey$answer <- function() {
  if (!is.null(.jamkey$done)) return(invisible())
  .jamkey$done <- TRUE
  asked <- readLines(Sys.getenv("JAMKEY_JUDGE"), encoding = "UTF-8", warn = FALSE)
  lines <- gsub("\x1e", "\n", substring(asked, 6), fixed = TRUE)
  kinds <- substring(asked, 1, 4)
  told <- lines[kinds == "told"]
  until <- proc.time()[["elapsed"]] + as.numeric(lines[kinds == "secs"])
  starts <- which(kinds == "site")
  out <- file(Sys.getenv("JAMKEY_JUDGED"), "w")
  sink(nullfile())
  for (number in seq_along(starts)) {
    start <- starts[number]
    end <- if (number < length(starts)) starts[number + 1] - 1 else length(lines)
    forms <- if (end > start + 1) lines[(start + 2):end] else character()
    said <- rep("-", length(forms))
    frame <- .jamkey$frames[[lines[start]]]
    if (!is.null(frame)) {
      before <- .jamkey$run(lines[start + 1], frame)
      share <- 3 * (until - proc.time()[["elapsed"]]) / (length(starts) - number + 1)
      limit <- proc.time()[["elapsed"]] + share
      for (place in seq_along(forms)) {
        if (proc.time()[["elapsed"]] > min(until, limit)) break
        said[place] <- .jamkey$word(before, .jamkey$run(forms[place], frame), told)
      }
      again <- .jamkey$run(lines[start + 1], frame)
      if (!identical(before$failure, again$failure) || !identical(before$value, again$value)) said[] <- "-"
    }
    writeLines(paste(said, collapse = "\t"), out)
    flush(out)
  }
  sink()
  close(out)
}

options(error = function() {
  .jamkey$answer()
  quit(save = "no", status = 1)
})
.Last <- function() .jamkey$answer()
