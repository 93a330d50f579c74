import { chromium } from 'playwright-core';
import fs from 'node:fs';
const [,, out, path='/', theme='light', w='1280', h='800', wait='2500', act] = process.argv;
const {password} = JSON.parse(fs.readFileSync('/tmp/w/home/first-sign-in.json'));
const b = await chromium.launch({executablePath:'/usr/bin/chromium',args:['--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync']});
const p = await b.newPage({viewport:{width:+w,height:+h},colorScheme:theme});
p.on('console',m=>['error','warning'].includes(m.type())&&console.log('console',m.text())); p.on('pageerror',e=>console.log('pageerror',e.message));
await p.goto('http://127.0.0.1:7100/sign-in'+(path==='/'?'':'?then='+encodeURIComponent(path)));
if(path!=='/sign-in'){ await p.fill('input[type=password]',password); await p.click('button[type=submit]'); await p.waitForURL(u=>!u.pathname.includes('sign-in')); }
await p.waitForTimeout(+wait);
if(act==='chain'){ await p.click('.events a'); await p.waitForTimeout(1500);} 
await p.screenshot({path:out,fullPage:act==='full'}); await b.close();
