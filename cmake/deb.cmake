# `cpack` in the build folder: Debian packages gyrax (the tool, its demo, manual and completion) and libgyrax-dev.
set(CPACK_GENERATOR DEB)
set(gyrax_mail maintainers@gyrax.invalid)
set(CPACK_PACKAGE_NAME gyrax)
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGE_CONTACT "Gyrax maintainers <${gyrax_mail}>")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_COMPONENTS_ALL tool dev)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_INSTALL_DEFAULT_DIRECTORY_PERMISSIONS
  OWNER_READ OWNER_WRITE OWNER_EXECUTE GROUP_READ GROUP_EXECUTE WORLD_READ WORLD_EXECUTE)

set(CPACK_DEBIAN_TOOL_PACKAGE_NAME gyrax)
set(CPACK_DEBIAN_TOOL_PACKAGE_SECTION electronics)
set(CPACK_DEBIAN_TOOL_PACKAGE_RECOMMENDS gnuplot-nox)
set(CPACK_COMPONENT_TOOL_DESCRIPTION
  "maps gamepads and pendants to servos and machine axes\n \
Turns what hands do into exact, limited motion, and stops that motion\n \
when the hands, the wire or the program go away.\n \
Not a safety-rated device.")
set(CPACK_DEBIAN_DEV_PACKAGE_NAME libgyrax-dev)
set(CPACK_DEBIAN_DEV_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_DEV_PACKAGE_DEPENDS "libfmt-dev, libevdev-dev, libudev-dev, libzstd-dev, libmodbus-dev")
set(CPACK_COMPONENT_DEV_DESCRIPTION
  "library behind gyrax, for programs that move machines\n \
Headers, static libraries, a CMake package and pkg-config files.\n \
The core needs the standard library alone.")

# What Debian's policy wants beside the files: the licence and the changes, for each package.
find_program(gyrax_gzip gzip REQUIRED)
configure_file(cmake/changelog.in changelog @ONLY)
execute_process(COMMAND ${gyrax_gzip} -9nc INPUT_FILE ${CMAKE_CURRENT_BINARY_DIR}/changelog
                OUTPUT_FILE ${CMAKE_CURRENT_BINARY_DIR}/changelog.gz)
foreach(pair "tool;gyrax" "dev;libgyrax-dev")
  list(GET pair 0 component)
  list(GET pair 1 package)
  install(FILES LICENSE RENAME copyright DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/${package} COMPONENT ${component})
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/changelog.gz DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/${package} COMPONENT ${component})
endforeach()
include(CPack)
