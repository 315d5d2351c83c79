# An R that has started already: each script that it is asked for runs in a child of its own, as Rscript runs it.
#
#     Rscript forks.R FOLDER
#
# FOLDER holds the pipes `asked` (a script's path, ended by a zero byte) and `answer` (its exit status). What the script prints
# is left in `said` (standard output) and `told` (standard error) there.

local({
  folder <- commandArgs(TRUE)[1]
  place <- function(name) file.path(folder, name)
  script_call <- quote(eval(piece, globalenv()))

  # what an error prints: the call that raised it, its words, the calls that led there
  words_of <- function(failure, calls) {
    call <- conditionCall(failure)
    text <- conditionMessage(failure)
    shown <- if (is.null(call)) "Error: " else paste0("Error in ", deparse(call, nlines = 1L)[1], " : ")
    # as R does: what is too long for one line goes on the next
    if (!is.null(call) && nchar(shown) + 2L + nchar(strsplit(text, "\n")[[1]][1]) > 77) shown <- paste0(shown, "\n  ")
    names <- vapply(calls, function(one) deparse(one[[1]], nlines = 1L)[1], "")
    names <- names[!names %in% c("stop", ".handleSimpleError", "h") & !startsWith(names, "function (")]
    led <- if (length(names) > 1) paste0("\nCalls: ", paste(names, collapse = " -> ")) else ""
    paste0(shown, text, led, "\nExecution halted\n")
  }

  inner_calls <- function(all) {
    ours <- which(vapply(all, identical, NA, script_call))
    if (length(ours)) all[-seq_len(max(ours))] else all
  }

  run <- function(script) {
    calls <- NULL
    tryCatch({
      for (piece in as.list(parse(script, keep.source = FALSE))) {
        result <- withCallingHandlers(
          withVisible(eval(piece, globalenv())),
          error = function(failure) calls <<- inner_calls(sys.calls())
        )
        if (result$visible) if (isS4(result$value)) methods::show(result$value) else print(result$value)
      }
      0L
    }, error = function(failure) {
      cat(words_of(failure, calls), file = stderr())
      1L
    })
  }

  child <- function(script) {
    said <- file(place("said"), "wb")
    told <- file(place("told"), "wb")
    sink(said)
    sink(told, type = "message")
    end <- function(status) {
      force(status)
      while (sink.number()) sink()
      sink(type = "message")
      close(said)
      close(told)
      cat(status, file = place("status"))
      parallel:::mcexit(status)
    }
    # a script that ends itself says with what status
    ended <- function(save = "no", status = 0, runLast = TRUE) end(as.integer(status))
    for (name in c("q", "quit")) {
      unlockBinding(name, baseenv())
      assign(name, ended, baseenv())
    }
    end(run(script))
  }

  # what the scripts attach is loaded once
  rows <- unlist(lapply(list.files(".", "[.][rR]$"), readLines, warn = FALSE))
  named <- regmatches(rows, gregexpr("(?<=library\\(|require\\()[\"']?[A-Za-z][A-Za-z0-9.]*|[A-Za-z][A-Za-z0-9.]*(?=::)", rows, perl = TRUE))
  for (name in unique(gsub("[\"']", "", unlist(named)))) try(suppressMessages(loadNamespace(name)), silent = TRUE)

  repeat {
    pipe <- file(place("asked"), "rb")
    asked <- readBin(pipe, "raw", 65536L)
    close(pipe)
    script <- rawToChar(asked[asked != as.raw(0L)])
    unlink(place("status"))
    process <- parallel:::mcfork()
    if (inherits(process, "masterProcess")) child(script)
    parallel::mccollect(process)
    # a script that the system has ended leaves none
    status <- if (file.exists(place("status"))) readLines(place("status"), warn = FALSE) else "139"
    answer <- file(place("answer"), "wb")
    writeLines(status, answer)
    close(answer)
  }
})
