# Has PROGRAM write its manual pages and its completion into FOLDER.
function(say file)
  execute_process(COMMAND ${PROGRAM} describe ${ARGN} OUTPUT_FILE ${FOLDER}/${file}
                  COMMAND_ERROR_IS_FATAL ANY)
endfunction()

file(REMOVE_RECURSE ${FOLDER})
file(MAKE_DIRECTORY ${FOLDER})
execute_process(COMMAND ${PROGRAM} describe commands OUTPUT_VARIABLE commands
                OUTPUT_STRIP_TRAILING_WHITESPACE COMMAND_ERROR_IS_FATAL ANY)
string(REPLACE "\n" ";" commands "${commands}")
say(greymet.1 man)
foreach(command IN LISTS commands)
  say(greymet-${command}.1 man ${command})
endforeach()
say(greymet.bash bash)  # the last: it stands for all of them
