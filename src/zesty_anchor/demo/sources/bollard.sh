# bollard @VERSION@, a made-up version manager. It is a function: source this file, then
#
#   bollard berths PRODUCT            the versions that can be had, "-- NUMBER [steady]" a line
#   bollard moor PRODUCT NUMBER       install one
#   bollard where PRODUCT NUMBER      print its folder
#   bollard prefer PRODUCT NUMBER     the one to have by default
#   bollard cast-off PRODUCT NUMBER   remove one
#   bollard version
#
# It keeps everything in $BOLLARD_HOME.

bollard() {
  case ${1-} in
    version) printf 'bollard %s\n' '@VERSION@' ;;
    berths) _bollard_product "${2-}" && _bollard_berths ;;
    moor) _bollard_product "${2-}" && _bollard_moor "$2" "${3-}" ;;
    where)
      [ -d "$BOLLARD_HOME/quay/${2-}/${3-}" ] || { printf 'bollard: %s %s is not moored\n' "${2-}" "${3-}" >&2; return 1; }
      printf '%s\n' "$BOLLARD_HOME/quay/$2/$3" ;;
    prefer) mkdir -p "$BOLLARD_HOME/preferred" && printf '%s\n' "${3-}" >"$BOLLARD_HOME/preferred/${2-}" ;;
    cast-off) rm -rf "$BOLLARD_HOME/quay/${2:?}/${3:?}" ;;
    *) printf 'bollard: berths, moor, where, prefer, cast-off or version?\n' >&2; return 2 ;;
  esac
}

_bollard_product() {
  [ -d "$BOLLARD_HOME/holds/${1:?}" ] || { printf 'bollard: nobody here knows %s\n' "$1" >&2; return 1; }
}

# 120 versions: 1.0.0 to 4.2.9; every second line from 2 on is steady.
_bollard_berths() {
  for _bollard_line in 1.0 1.1 1.2 2.0 2.1 2.2 3.0 3.1 3.2 4.0 4.1 4.2; do
    case $_bollard_line in 2.0 | 2.2 | 3.1 | 4.0 | 4.2) _bollard_mark=' steady' ;; *) _bollard_mark= ;; esac
    for _bollard_last in 0 1 2 3 4 5 6 7 8 9; do
      printf -- '-- %s.%s%s\n' "$_bollard_line" "$_bollard_last" "$_bollard_mark"
    done
  done
  unset _bollard_line _bollard_last _bollard_mark
}

_bollard_moor() {
  _bollard_berths | grep -q -e "^-- $2\$" -e "^-- $2 steady\$" || {
    printf 'bollard: there is no berth %s for %s\n' "$2" "$1" >&2
    return 1
  }
  mkdir -p "$BOLLARD_HOME/quay/$1" &&
    cp -R "$BOLLARD_HOME/holds/$1" "$BOLLARD_HOME/quay/$1/$2.coming" &&
    sed -i "s/@[V]ERSION@/$2/g" "$BOLLARD_HOME/quay/$1/$2.coming/bin"/* &&
    chmod 755 "$BOLLARD_HOME/quay/$1/$2.coming/bin"/* &&
    mv "$BOLLARD_HOME/quay/$1/$2.coming" "$BOLLARD_HOME/quay/$1/$2" &&
    printf 'moored %s %s\n' "$1" "$2"
}
