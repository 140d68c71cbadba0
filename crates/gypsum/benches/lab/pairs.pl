# The pairs: prints the fastest and the median of each, and the ratio of the medians.
use strict; use warnings; use Time::HiRes qw(time);
my $file = '/etc/nginx/sites-enabled/default';
my $hand = 'f=' . $file . '; cp -p $f /root/saved.$(date +%s%N); sed -i "s/keepalive_timeout [0-9]*;/keepalive_timeout $1;/" $f; nginx -t && systemctl reload nginx && curl -sf -o /dev/null http://localhost/';
my (@hand, @gypsum);
for my $n (1 .. $ARGV[0]) {
    push @hand, timed('sh', '-c', $hand, 'hand', 60 + $n % 7);
    push @gypsum, timed('gypsum', 'change', 'nginx', 'server..keepalive_timeout=' . (70 + $n % 7), '--in', $file, '--steady', '0', '--no-trial');
}
sub timed {
    # nginx heeds no signal for the 100 ms in which its workers change places: neither is to wait for the other's.
    select undef, undef, undef, 0.2;
    my $begun = time;
    my $pid = fork // die;
    if (!$pid) { open STDOUT, '>', '/dev/null'; open STDERR, '>', '/dev/null'; exec @_ or die }
    waitpid $pid, 0;
    die "@_ failed: $?" if $?;
    return (time - $begun) * 1000;
}
my ($by_hand, $by_gypsum) = map { [sort { $a <=> $b } @$_] } \@hand, \@gypsum;
my $middle = int(@$by_hand / 2);
printf "| by hand, in a script | %.0f ms | %.0f ms |\n", $by_hand->[0], $by_hand->[$middle];
printf "| gypsum change --steady 0 | %.0f ms | %.0f ms |\n", $by_gypsum->[0], $by_gypsum->[$middle];
printf "ratio of the medians: %.2f\n", $by_gypsum->[$middle] / $by_hand->[$middle];
