# What `cmake --install` puts where: libraries, headers, a CMake package with components, pkg-config files, the tool, the
# demo and the documents.
include(CMakePackageConfigHelpers)

foreach(library core shell)
  if(library STREQUAL "shell" AND NOT TARGET gyrax_shell)
    continue()
  endif()
  set_target_properties(gyrax_${library} PROPERTIES EXPORT_NAME ${library})
  install(TARGETS gyrax_${library} EXPORT gyrax_${library} ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT dev)
  install(EXPORT gyrax_${library} NAMESPACE gyrax:: FILE gyrax-${library}-targets.cmake
    DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/gyrax COMPONENT dev)
endforeach()
install(DIRECTORY include/gyrax DESTINATION ${CMAKE_INSTALL_INCLUDEDIR} COMPONENT dev)

configure_package_config_file(cmake/gyrax-config.cmake.in gyrax-config.cmake INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/gyrax)
write_basic_package_version_file(gyrax-config-version.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/gyrax-config.cmake ${CMAKE_CURRENT_BINARY_DIR}/gyrax-config-version.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/gyrax COMPONENT dev)
# Relative, so that an installed tree may be moved.
file(RELATIVE_PATH gyrax_pc_to_prefix "/${CMAKE_INSTALL_LIBDIR}/pkgconfig" "/")
foreach(name gyrax-core gyrax)
  configure_file(cmake/${name}.pc.in ${name}.pc @ONLY)
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/${name}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig COMPONENT dev)
endforeach()

if(TARGET gyrax_tool)
  install(TARGETS gyrax_tool RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT tool)
  install(FILES demo/bench.toml demo/session.toml demo/pad.evemu DESTINATION ${CMAKE_INSTALL_DATADIR}/gyrax/demo COMPONENT tool)
  execute_process(COMMAND gzip -9nc INPUT_FILE ${PROJECT_SOURCE_DIR}/tool/gyrax.1 OUTPUT_FILE ${CMAKE_CURRENT_BINARY_DIR}/gyrax.1.gz)
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/gyrax.1.gz DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT tool)
  # Where systemd looks, whatever the libraries' folder is.
  install(FILES packaging/71-gyrax.rules DESTINATION lib/udev/rules.d COMPONENT tool)
  install(FILES packaging/gyrax@.service DESTINATION lib/systemd/system COMPONENT tool)
  install(FILES tool/gyrax.bash RENAME gyrax DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions COMPONENT tool)
  install(FILES tool/gyrax.zsh RENAME _gyrax DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions COMPONENT tool)
  install(FILES tool/gyrax.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d COMPONENT tool)
endif()
