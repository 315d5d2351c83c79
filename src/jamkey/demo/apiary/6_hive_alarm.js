// which hives weigh less than they should?
const LIMIT = 29;

function light(hives, limit) {
  const count = 0;
  for (const hive of hives) {
    if (hive.kilos < limit) {
      count += 1;
    }
  }
  return count;
}

const HIVES = [{ name: 'north', kilos: 31.2 }, { name: 'oak', kilos: 28.9 }];
console.log(light(HIVES, LIMIT), 'hive(s) need feeding');
