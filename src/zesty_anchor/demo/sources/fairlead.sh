#!/bin/sh
# fairlead @VERSION@, a made-up version manager. It is a program:
#
#   fairlead --of PRODUCT --offers           "NUMBER;channel" a line
#   fairlead --of PRODUCT --bring NUMBER     install one
#   fairlead --of PRODUCT --folder NUMBER    print its folder
#   fairlead --of PRODUCT --settle NUMBER    the one to have by default
#   fairlead --version
#
# It keeps everything in $FAIRLEAD_STORE.
set -eu
stock=$(dirname "$0")/../stock

fail() {
  printf 'fairlead: %s\n' "$1" >&2
  exit 3
}

[ "${1-}" = --version ] && printf 'fairlead %s\n' '@VERSION@' && exit
[ "${1-}" = --of ] && [ $# -ge 3 ] || fail 'say: --of PRODUCT, and what to do'
product=$2 number=${4-}
[ -d "$stock/$product" ] || fail "no $product in stock"
: "${FAIRLEAD_STORE:?is not set}"
case $3 in
  --offers) printf '6.0;\n5.1;calm\n5.0;calm\n' ;;
  --bring)
    case $number in 6.0 | 5.1 | 5.0) ;; *) fail "$product $number is not offered" ;; esac
    mkdir -p "$FAIRLEAD_STORE"
    cp -R "$stock/$product" "$FAIRLEAD_STORE/$product-$number"
    sed -i "s/@[V]ERSION@/$number/g" "$FAIRLEAD_STORE/$product-$number/bin"/*
    chmod 755 "$FAIRLEAD_STORE/$product-$number/bin"/*
    ;;
  --folder)
    [ -d "$FAIRLEAD_STORE/$product-$number" ] || fail "$product $number was not brought"
    printf '%s\n' "$FAIRLEAD_STORE/$product-$number"
    ;;
  --settle) printf '%s\n' "$number" >"$FAIRLEAD_STORE/$product.settled" ;;
  *) fail "what is $3?" ;;
esac
