# Puts a manifest that was brought in the place of the one before. Gets: base.
cd "$base" || exit
rm -rf desk.old
if [ -e desk ]; then
  mv desk desk.old || exit
fi
mv desk.new desk || exit
rm -rf desk.old
